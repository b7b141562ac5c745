create or replace view tidy.routes as
select r.route_id,
       o.name || ' – ' || d.name as route_name,
       o.island as from_island,
       d.island as to_island,
       r.distance_nm * 1.852 as distance_km,
       r.planned_minutes
from landing.routes r
join landing.ports o on o.port_id = r.from_port_id
join landing.ports d on d.port_id = r.to_port_id;

comment on view tidy.routes is 'Routes with the names of their ports, distances in kilometres.';
