-- Channel names are corrected in a temporary table first.
create temporary table channel_names as
select channel_id,
       initcap(trim(name)) as channel,
       commission_pct / 100 as commission
from landing.channels;

drop table if exists tidy.bookings cascade;

create table tidy.bookings as
select b.booking_id, b.passenger_id, b.booked_at, c.channel, c.commission, b.promo_code is not null as had_promo
from landing.bookings b
left join channel_names c using (channel_id);

drop table channel_names;

comment on table tidy.bookings is 'Bookings with the channel that sold them.';
