-- What each sailing earned. Two temporary steps, so that each can be looked at when a number seems wrong.
create temporary table sold on commit preserve rows as
select sailing_id,
       sum(fare_paid) as gross,
       sum(money_back) as refunded,
       sum(commission) as commission,
       count(*) as tickets_sold
from core.ticket_facts
group by sailing_id;

create temporary table sailed as
select s.sailing_id, s.route_id, s.vessel_name, s.departs_at, s.seats
from tidy.sailings s
where not s.was_cancelled;

drop table if exists core.sailing_revenue cascade;

create table core.sailing_revenue as
select s.sailing_id,
       s.route_id,
       s.vessel_name,
       s.departs_at,
       coalesce(x.gross, 0) as gross,
       coalesce(x.refunded, 0) as refunded,
       coalesce(x.gross, 0) - coalesce(x.refunded, 0) - coalesce(x.commission, 0) as net,
       coalesce(x.tickets_sold, 0) as tickets_sold,
       s.seats
from sailed s
left join sold x on x.sailing_id = s.sailing_id;

drop table sold;
drop table sailed;

comment on table core.sailing_revenue is 'What each sailing earned after refunds, one row a sailing.';
comment on column core.sailing_revenue.gross is 'Fares paid, before refunds and commission.';
comment on column core.sailing_revenue.net is 'Gross less refunds and commission.';
