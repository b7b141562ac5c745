create table if not exists core.passenger_value (
    passenger_id bigint primary key,
    tickets int,
    spent numeric,
    first_seen date,
    last_seen date
);

truncate core.passenger_value;

insert into core.passenger_value (passenger_id, tickets, spent, first_seen)
select p.passenger_id, 0, 0, p.joined_on
from tidy.passengers p;

merge into core.passenger_value v
using (
    select passenger_id,
           count(*) as tickets,
           sum(fare_paid - money_back) as spent,
           min(sold_on) as first_sold,
           max(sold_on) as last_sold
    from core.ticket_facts
    group by passenger_id
) f
on f.passenger_id = v.passenger_id
when matched and f.tickets > 0 then
    update set tickets = f.tickets,
               spent = f.spent,
               first_seen = least(v.first_seen, f.first_sold),
               last_seen = f.last_sold
when not matched then
    insert (passenger_id, tickets, spent, first_seen, last_seen)
    values (f.passenger_id, f.tickets, f.spent, f.first_sold, f.last_sold);

comment on table core.passenger_value is 'What each passenger has spent, kept up to date by merging.';
