-- Tickets are sent again when they change: keep the last state of each.
create table if not exists tidy.tickets (
    ticket_id bigint primary key,
    booking_id bigint,
    sailing_id bigint,
    fare_class text,
    fare int,
    discount int,
    is_void boolean,
    issued_at timestamptz
);

truncate tidy.tickets;

insert into tidy.tickets
with ranked as (
    select t.*,
           row_number() over (partition by t.ticket_id order by t.issued_at desc) as nth
    from landing.tickets t
)
select ticket_id, booking_id, sailing_id, fare_class,
       fare_cents as fare,
       discount_cents as discount,
       status = 'void' as is_void,
       issued_at
from ranked
where nth = 1;

comment on table tidy.tickets is 'The last state of every ticket.';
comment on column tidy.tickets.fare is 'Price before discount, in cents.';
