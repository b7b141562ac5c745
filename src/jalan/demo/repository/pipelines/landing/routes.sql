-- A straight copy: whatever the source has.
drop table if exists landing.routes cascade;

create table landing.routes as
select *
from remote.routes;
