drop table if exists core.crew_hours cascade;

create table core.crew_hours as
with worked as (
    select r.crew_id, r.rank, r.duty, r.hours, r.hours / 8 * r.day_rate as cost,
           date_trunc('week', s.departs_at)::date as week
    from landing.crew_rosters r
    join tidy.sailings s using (sailing_id)
    where not s.was_cancelled
)
select crew_id, rank, week,
       sum(hours) as hours,
       sum(cost) as cost,
       sum(sum(hours)) over (partition by crew_id order by week
                             rows between 3 preceding and current row) as hours_4_weeks
from worked
group by crew_id, rank, week;

comment on table core.crew_hours is 'Hours on board by person and week, with a running four weeks.';
