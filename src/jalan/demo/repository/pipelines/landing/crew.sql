-- Rosters with the rank and the rate of the day, because both change.
drop table if exists landing.crew_rosters cascade;

create table landing.crew_rosters as
select r.roster_id, r.sailing_id, r.crew_id, r.duty, r.hours, c.rank, c.day_rate
from remote.crew_rosters r
join remote.crew c using (crew_id);
