create or replace view tidy.payments as
select booking_id, method, amount_cents / 100.0 as amount, captured_at, false as is_voucher
from landing.payments
where not failed and method <> 'voucher'
union all
select booking_id, 'voucher', amount_cents / 100.0, captured_at, true
from landing.payments
where not failed and method = 'voucher';

comment on view tidy.payments is 'Payments that went through, in whole shells.';
