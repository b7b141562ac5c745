create or replace view mart.crew_load as
select distinct on (crew_id)
       crew_id, rank, week as last_week, hours, hours_4_weeks, cost,
       hours_4_weeks > 160 as over_limit
from core.crew_hours
order by crew_id, week desc;

comment on view mart.crew_load is 'The last week of everyone on board, and who is over the limit.';
