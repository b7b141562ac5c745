create or replace view tidy.sailings as
select s.sailing_id,
       s.route_id,
       s.vessel_id,
       v.vessel_name,
       s.planned_departure as departs_at,
       s.departed_at,
       s.arrived_at,
       s.cancelled_at is not null as was_cancelled,
       coalesce(s.cancel_reason, 'none') as cancel_reason,
       extract(epoch from s.departed_at - s.planned_departure)::int / 60 as delay_minutes,
       least(s.seats_offered, v.seats) as seats
from landing.sailings s
left join landing.vessels v on v.vessel_id = s.vessel_id
where s.status <> 'draft';

comment on view tidy.sailings is 'Sailings that were really planned, with delays in minutes.';
