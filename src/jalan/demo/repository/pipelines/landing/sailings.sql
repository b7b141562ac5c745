drop table if exists landing.sailings cascade;

create table landing.sailings as
select sailing_id, route_id, vessel_id, planned_departure, departed_at, arrived_at,
       cancelled_at, cancel_reason, seats_offered, status
from remote.sailings;
