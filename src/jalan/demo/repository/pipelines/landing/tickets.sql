drop table if exists landing.tickets cascade;

create table landing.tickets as
select ticket_id, booking_id, sailing_id, fare_class, fare_cents, discount_cents, status, issued_at, used_at
from remote.tickets;
