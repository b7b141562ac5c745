drop table if exists mart.refund_watch cascade;

select f.channel,
       date_trunc('week', f.sold_on)::date as week,
       sum(f.money_back) as refunded,
       sum(f.money_back) / nullif(sum(f.fare_paid), 0) as refund_rate
into mart.refund_watch
from core.ticket_facts f
group by f.channel, date_trunc('week', f.sold_on);

insert into mart.refund_watch
select 'All', week, sum(refunded), avg(refund_rate)
from mart.refund_watch
group by week;

comment on table mart.refund_watch is 'Money given back, by channel and week.';
