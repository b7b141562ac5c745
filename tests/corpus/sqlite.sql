## quoted-names
select "Port", [port], `port` from quoted

## strings
select 'it''s', x'0f', name || 'x' as n from ports

## parameters
select name from ports where port = ?1 and island = :island and name = @name and tide_offset > $tide and 1 = ?

## operators
select name glob 'S*' as s, name match 'x' as m, port is name as same, tide_offset is not null as known from ports

## regular-expressions
select name from ports where name regexp '^n' and name not glob 'x*'

## conditional-function
select iif(paid, fare, 0) as income, ifnull(passenger, 'none') as who from tickets

## json-path
select details -> 'passenger' ->> 'name' as who, json_extract(details, '$.fare') as fare from bookings

## table-function
select b.booking_id, e.value, e.key from bookings b, json_each(b.legs) as e

## table-function
select j.value ->> 'port' as port from bookings b join json_tree(b.details, '$.legs') as j

## date-functions
select strftime('%Y', sold_at) as y, julianday(sold_at, 'start of day') as d from tickets

## cast
select cast(fare as real) as fare, cast(sold_at as integer) as at from tickets

## case
select case when paid then 'yes' when fare = 0 then 'free' else passenger end as state from tickets

## string-alias
select fare 'the fare', paid as 'was paid' from tickets

## aggregates
select port, total(berths), group_concat(vessel_id, ';') as vessels, max(berths) from sailings group by port

## aggregate-filter
select count(*) filter (where delayed) as late, group_concat(port order by port) as ports from sailings

## window
select fare, sum(fare) over (partition by sailing_id order by sold_at rows between 1 preceding and 1 following exclude current row) as near from tickets

## named-window
select first_value(fare) over w as cheapest from tickets window w as (partition by sailing_id order by fare)

## aliases-in-clauses
select port as p, count(*) as n from sailings group by p having n > 2 order by n

## ordinals
select port, count(*) from sailings group by 1 order by 2 limit 3

## limit
select name from ports order by tide_offset limit 10 offset 5

## limit
select name from ports order by tide_offset limit 5, 10

## hints
select fare from tickets indexed by by_passenger where passenger = 'x'

## hints
select t.fare from tickets as t not indexed

## join
select s.berths, p.name from sailings s join ports p

## left-join
select p.name, t.height from ports p left join tides t on t.port = p.port

## full-join
select port, p.name, t.height from ports p full outer join tides t using (port)

## natural-join
select name, height from ports natural join tides

## comma-join
select p.name from ports p, sailings s where p.port = s.port

## subquery
select name from ports where port not in (select port from sailings where port is not null)

## subquery
select name, (select height from tides t where t.port = p.port limit 1) as h from ports p

## exists
select name from ports p where not exists (select 1 from sailings s where s.port = p.port)

## row-values
select ticket_id from tickets where (sailing_id, fare) in (select sailing_id, berths from sailings)

## row-values
select ticket_id from tickets where (fare, sailing_id) > (10, 2)

## union
select port from sailings union select port from tides order by 1

## except
select port from ports except select port from sailings

## intersect
select port from ports intersect select port from sailings

## cte
with late as not materialized (select port from sailings where delayed) select p.name from ports p join late using (port)

## recursive-cte
with chain(id, boss) as (select crew_id, boss_id from crew union all select c.crew_id, k.boss from crew c join chain k on c.boss_id = k.id) select id, boss from chain

## recursive-cte
with recursive n(x) as (values (1) union all select x + 1 from n where x < 10) select x from n

## values
select column1, column2 from (values (1, 2), (3, 4))

## qualified-star
select s.*, p.name from sailings s join ports p on p.port = s.port

## collate
select name collate nocase as name from ports order by name collate rtrim

## create-table
create table if not exists berth (berth_id integer primary key autoincrement, port references ports(port), length_m, wide int generated always as (length_m * 2) stored, unique (port)) strict, without rowid

## create-table-as
create table main.late as select sailing_id, port from sailings where delayed

## temp-table
create temp table recent as select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from recent

## create-view
create temp view if not exists income (port, income) as select port, sum(fare) from sailings join tickets using (sailing_id) group by port

## virtual-table
create virtual table search using fts5(title, body)

## insert-select
insert into tides (port, at, height) select port, datetime('now'), tide_offset from ports

## insert-values
insert into ports values ('SK', 'Skerry', 'North', 3), ('NH', 'North Haven', 'North', 4)

## upsert
insert into ports (port, tide_offset) select port, height from tides where true on conflict (port) do update set tide_offset = excluded.tide_offset + tide_offset where name is not null

## insert-or
insert or replace into ports (port, name) select port, role from crew

## insert-or
insert or ignore into ports default values

## replace
replace into ports (port, name) values ('SK', 'Skerry')

## returning
insert into ports (port) values ('SK') returning port, name as n

## update
update or ignore tickets set fare = fare * 2, (paid, passenger) = (select 1, name from crew) where ticket_id = 7

## update-join
update tickets set fare = fare - r.amount from refunds as r where r.ticket_id = tickets.ticket_id

## delete
delete from refunds where amount = 0 order by at limit 5

## alter-table
create table t1 as select port, name from ports; alter table t1 rename column name to title; alter table t1 add column tide; alter table t1 rename to t2; insert into crew (name) select title from t2

## drop
drop table if exists main.late; drop view income; drop index by_name

## trigger
create trigger noted after insert on refunds begin insert into crew (name) values (new.reason); update tickets set paid = 0 where ticket_id = new.ticket_id; end

## trigger
create trigger old_fare before update of fare on tickets for each row when old.fare <> new.fare begin insert into refunds (ticket_id, amount) values (old.ticket_id, old.fare - new.fare); end

## pragma
pragma foreign_keys = on; attach database 'other.db' as other; select port from other.ports2; detach database other

## transaction
begin immediate; savepoint a; rollback to a; end

## explain
explain query plan select port from ports

## vacuum
vacuum; reindex; analyze
