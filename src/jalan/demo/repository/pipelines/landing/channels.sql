create table if not exists landing.channels (
    channel_id int primary key,
    name text,
    commission_pct numeric(4, 1)
);

truncate landing.channels;

insert into landing.channels (channel_id, name, commission_pct)
select channel_id, name, commission_pct
from remote.channels;
