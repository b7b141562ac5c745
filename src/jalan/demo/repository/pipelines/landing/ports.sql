-- A straight copy: whatever the source has.
drop table if exists landing.ports cascade;

create table landing.ports as
select *
from remote.ports;
