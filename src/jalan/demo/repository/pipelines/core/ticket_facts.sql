drop table if exists core.ticket_facts cascade;

create table core.ticket_facts as
select t.ticket_id,
       t.sailing_id,
       b.passenger_id,
       b.channel,
       t.fare_class,
       (t.fare - t.discount) / 100.0 as fare_paid,
       coalesce(r.refunded, 0) / 100.0 as money_back,
       (t.fare - t.discount) / 100.0 * b.commission as commission,
       t.issued_at::date as sold_on
from tidy.tickets t
join tidy.bookings b on b.booking_id = t.booking_id
left join tidy.refunds r on r.ticket_id = t.ticket_id
where not t.is_void;

comment on table core.ticket_facts is 'What each ticket brought in, in whole shells.';
comment on column core.ticket_facts.fare_paid is 'Fare less discount, in whole shells.';
