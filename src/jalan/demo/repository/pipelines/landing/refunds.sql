drop table if exists landing.refunds cascade;

create table landing.refunds as
select refund_id, ticket_id, amount_cents, reason, requested_at, paid_at
from remote.refunds;
