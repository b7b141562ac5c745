create or replace view mart.channel_mix as
select channel,
       date_trunc('month', sold_on)::date as month,
       count(*) as tickets,
       sum(fare_paid) as gross,
       sum(fare_paid) filter (where fare_class = 'flex') as flexible_gross,
       sum(commission) as commission
from core.ticket_facts
group by channel, date_trunc('month', sold_on);

comment on view mart.channel_mix is 'Where tickets are sold, and what that costs.';
