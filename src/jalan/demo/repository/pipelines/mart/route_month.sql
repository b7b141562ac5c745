drop materialized view if exists mart.route_month cascade;

create materialized view mart.route_month as
select r.route_name,
       date_trunc('month', v.departs_at)::date as month,
       sum(v.gross) as gross,
       sum(v.net) as net,
       sum(v.net) / nullif(sum(sum(v.net)) over (partition by date_trunc('month', v.departs_at)), 0) as net_share,
       sum(v.tickets_sold) as tickets,
       sum(v.seats) as seats
from core.sailing_revenue v
join tidy.routes r using (route_id)
group by r.route_name, date_trunc('month', v.departs_at);

comment on materialized view mart.route_month is 'Money and seats by route and month.';
