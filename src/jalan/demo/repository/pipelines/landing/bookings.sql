drop table if exists landing.bookings cascade;

create table landing.bookings as
select booking_id, passenger_id, booked_at, channel_id, promo_code
from remote.bookings
where currency = 'SHL';
