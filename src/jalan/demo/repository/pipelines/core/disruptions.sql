create or replace view core.disruptions as
select sailing_id, 'incident' as kind, kind as cause, severity, minutes_lost, reported_at as happened_at
from landing.incidents
union all
select s.sailing_id, 'cancelled', s.cancel_reason, 5, r.planned_minutes, s.departs_at
from tidy.sailings s
join tidy.routes r on r.route_id = s.route_id
where s.was_cancelled;

comment on view core.disruptions is 'Everything that kept passengers waiting.';
