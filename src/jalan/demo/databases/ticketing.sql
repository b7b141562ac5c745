-- What is sold: passengers (personal data), bookings, tickets, money back.
create table passengers (
    passenger_id bigint primary key,
    full_name text not null,
    email text not null,
    phone text,
    born_on date,
    home_island text,
    joined_at timestamptz not null,
    marketing_ok boolean not null
);
comment on table passengers is 'People with an account. Personal data.';
comment on column passengers.email is 'Personal data: never leaves this database unmasked.';

create table channels (
    channel_id int primary key,
    name text not null,
    commission_pct numeric(4, 1) not null
);
comment on table channels is 'Where tickets are sold.';

create table fare_classes (
    fare_class text primary key,
    title text not null,
    base_cents int not null,
    refundable boolean not null,
    flexible boolean not null
);
comment on table fare_classes is 'Kinds of tickets and what they start from.';

create table bookings (
    booking_id bigint primary key,
    passenger_id bigint not null references passengers,
    booked_at timestamptz not null,
    channel_id int not null references channels,
    currency text not null,
    promo_code text
);
comment on table bookings is 'One purchase, of one or more tickets.';

create table tickets (
    ticket_id bigint primary key,
    booking_id bigint not null references bookings,
    sailing_id bigint not null,
    fare_class text not null references fare_classes,
    fare_cents int not null,
    discount_cents int not null,
    seat_no text,
    status text not null,
    issued_at timestamptz not null,
    used_at timestamptz
);
comment on table tickets is 'One seat on one sailing.';
comment on column tickets.fare_cents is 'Price before discount, in cents.';
comment on column tickets.discount_cents is 'What was taken off, in cents.';
comment on column tickets.status is 'sold, used, void or refunded.';

create table refunds (
    refund_id bigint primary key,
    ticket_id bigint not null references tickets,
    amount_cents int not null,
    reason text not null,
    requested_at timestamptz not null,
    paid_at timestamptz
);
comment on table refunds is 'Money given back for a ticket.';

create table vouchers (
    voucher_id bigint primary key,
    code text not null,
    passenger_id bigint references passengers,
    value_cents int not null,
    issued_at timestamptz not null,
    expires_on date not null
);
comment on table vouchers is 'Credit for a later crossing.';

create table voucher_uses (
    voucher_id bigint not null references vouchers,
    booking_id bigint not null references bookings,
    used_cents int not null,
    used_at timestamptz not null,
    primary key (voucher_id, booking_id)
);
comment on table voucher_uses is 'Which booking a voucher paid for.';

create table payments (
    payment_id bigint primary key,
    booking_id bigint not null references bookings,
    method text not null,
    amount_cents int not null,
    captured_at timestamptz not null,
    failed boolean not null
);
comment on table payments is 'Attempts to take money, also failed ones.';

create table complaints (
    complaint_id bigint primary key,
    booking_id bigint not null references bookings,
    topic text not null,
    opened_at timestamptz not null,
    closed_at timestamptz,
    text text not null
);
comment on table complaints is 'What passengers wrote to us. Personal data.';

create view open_complaints as
select c.complaint_id, c.topic, p.full_name, c.opened_at
from complaints c
join bookings b using (booking_id)
join passengers p on p.passenger_id = b.passenger_id
where c.closed_at is null;
comment on view open_complaints is 'What the service desk still has to answer.';

create table refund_log (
    refund_id bigint not null,
    ticket_id bigint not null,
    amount_cents int not null,
    amount numeric generated always as (amount_cents / 100.0) stored,
    noted_at timestamptz not null default now()
);
comment on table refund_log is 'Every refund as it was first asked for. Written by a trigger.';

create function note_refund() returns trigger language plpgsql as $$
begin
    insert into refund_log (refund_id, ticket_id, amount_cents)
    values (new.refund_id, new.ticket_id, new.amount_cents);
    return new;
end $$;
create trigger refund_noted after insert on refunds for each row execute function note_refund();
