create or replace view core.vessel_days as
with recursive days (day) as (
    select min(departs_at)::date from tidy.sailings
    union all
    select day + 1 from days where day < (select max(departs_at)::date from tidy.sailings)
),
fleet as (
    select vessel_id, vessel_name, seats from landing.vessels where retired_on is null
)
select f.vessel_name,
       d.day,
       count(s.sailing_id) as sailings,
       count(s.sailing_id) filter (where s.delay_minutes > 15) as late_sailings,
       coalesce(sum(s.seats), 0) as seats_moved
from fleet f
cross join days d
left join tidy.sailings s on s.vessel_id = f.vessel_id and s.departs_at::date = d.day and not s.was_cancelled
group by f.vessel_name, d.day;

comment on view core.vessel_days is 'What each vessel did on each day, also when it lay still.';
