create or replace view tidy.refunds as
select ticket_id,
       sum(amount_cents) as refunded,
       max(paid_at) as refunded_at,
       string_agg(distinct reason, ', ' order by reason) as reasons
from landing.refunds
where paid_at is not null
group by ticket_id;

comment on view tidy.refunds is 'Money really paid back, one row a ticket.';
