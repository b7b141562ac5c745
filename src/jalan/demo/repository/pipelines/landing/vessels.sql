drop table if exists landing.vessels cascade;

create table landing.vessels as
select vessel_id, name as vessel_name, class as vessel_class, seats, built_on, retired_on
from remote.vessels;
