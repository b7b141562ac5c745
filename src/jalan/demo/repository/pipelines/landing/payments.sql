drop table if exists landing.payments cascade;

create table landing.payments as
select payment_id, booking_id, method, amount_cents, captured_at, failed
from remote.payments;
