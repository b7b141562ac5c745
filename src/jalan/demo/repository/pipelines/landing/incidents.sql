drop table if exists landing.incidents cascade;

create table landing.incidents as
select incident_id, sailing_id, kind, severity, minutes_lost, reported_at
from remote.incidents;
