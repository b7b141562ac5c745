create or replace view mart.punctuality as
with daily as (
    select s.route_id,
           s.departs_at::date as day,
           avg(s.delay_minutes) as mean_delay,
           count(*) filter (where s.delay_minutes <= 5)::numeric / count(*) as on_time_rate
    from tidy.sailings s
    where not s.was_cancelled
    group by s.route_id, s.departs_at::date
)
select r.route_name,
       d.day,
       d.mean_delay,
       d.on_time_rate,
       (select sum(x.minutes_lost)
          from core.disruptions x
          join tidy.sailings s on s.sailing_id = x.sailing_id
         where s.route_id = d.route_id and x.happened_at::date = d.day) as minutes_lost
from daily d
join tidy.routes r on r.route_id = d.route_id;

comment on view mart.punctuality is 'How late routes run, day by day.';
