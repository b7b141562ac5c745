## quoted-names
select "Port", [port], `port` from quoted
=: select
=> Port: quoted.port
=> port: quoted.port

## strings
select 'it''s', x'0f', name || 'x' as n from ports
=: select
=> n: ~ports.name

## parameters
select name from ports where port = ?1 and island = :island and name = @name and tide_offset > $tide and 1 = ?
=: select
=> name: ports.name
=> (rows): ports.port/filter, ports.island/filter, ports.name/filter, ports.tide_offset/filter

## operators
select name glob 'S*' as s, name match 'x' as m, port is name as same, tide_offset is not null as known from ports
=: select
=> s: ~ports.name
=> m: ~ports.name
=> same: ~ports.port, ~ports.name
=> known: ~ports.tide_offset

## regular-expressions
select name from ports where name regexp '^n' and name not glob 'x*'
=: select
=> name: ports.name
=> (rows): ports.name/filter

## conditional-function
select iif(paid, fare, 0) as income, ifnull(passenger, 'none') as who from tickets
=: select
=> income: ~tickets.fare, tickets.paid/conditional
=> who: ~tickets.passenger

## json-path
select details -> 'passenger' ->> 'name' as who, json_extract(details, '$.fare') as fare from bookings
=: select
=> who: ~bookings.details{passenger.name}
=> fare: ~bookings.details{fare}

## table-function
select b.booking_id, e.value, e.key from bookings b, json_each(b.legs) as e
=: select
=> booking_id: bookings.booking_id
=> value: ~bookings.legs{[*]}
=> key: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join

## table-function
select j.value ->> 'port' as port from bookings b join json_tree(b.details, '$.legs') as j
=: select
=> port: ~bookings.details{[*].port}
=> (rows): bookings.details{[*]}/join

## date-functions
select strftime('%Y', sold_at) as y, julianday(sold_at, 'start of day') as d from tickets
=: select
=> y: ~tickets.sold_at
=> d: ~tickets.sold_at

## cast
select cast(fare as real) as fare, cast(sold_at as integer) as at from tickets
=: select
=> fare: ~tickets.fare
=> at: ~tickets.sold_at

## case
select case when paid then 'yes' when fare = 0 then 'free' else passenger end as state from tickets
=: select
=> state: ~tickets.passenger, tickets.paid/conditional, tickets.fare/conditional

## string-alias
select fare 'the fare', paid as 'was paid' from tickets
=: select
=> the fare: tickets.fare
=> was paid: tickets.paid

## aggregates
select port, total(berths), group_concat(vessel_id, ';') as vessels, max(berths) from sailings group by port
=: select
=> port: sailings.port
=> total(berths): +sailings.berths
=> vessels: +sailings.vessel_id
=> max(berths): +sailings.berths
=> (rows): sailings.port/group_by

## aggregate-filter
select count(*) filter (where delayed) as late, group_concat(port order by port) as ports from sailings
=: select
=> late: sailings.delayed/filter
=> ports: +sailings.port, sailings.port/sort

## window
select fare, sum(fare) over (partition by sailing_id order by sold_at rows between 1 preceding and 1 following exclude current row) as near from tickets
=: select
=> fare: tickets.fare
=> near: +tickets.fare, tickets.sailing_id/window, tickets.sold_at/window

## named-window
select first_value(fare) over w as cheapest from tickets window w as (partition by sailing_id order by fare)
=: select
=> cheapest: ~tickets.fare, tickets.sailing_id/window, tickets.fare/window

## aliases-in-clauses
select port as p, count(*) as n from sailings group by p having n > 2 order by n
=: select
=> p: sailings.port
=> (rows): sailings.port/group_by

## ordinals
select port, count(*) from sailings group by 1 order by 2 limit 3
=: select
=> port: sailings.port
=> (rows): sailings.port/group_by

## limit
select name from ports order by tide_offset limit 10 offset 5
=: select
=> name: ports.name
=> (rows): ports.tide_offset/sort

## limit
select name from ports order by tide_offset limit 5, 10
=: select
=> name: ports.name
=> (rows): ports.tide_offset/sort

## hints
select fare from tickets indexed by by_passenger where passenger = 'x'
=: select
=> fare: tickets.fare
=> (rows): tickets.passenger/filter

## hints
select t.fare from tickets as t not indexed
=: select
=> fare: tickets.fare

## join
select s.berths, p.name from sailings s join ports p
=: select
=> berths: sailings.berths
=> name: ports.name

## left-join
select p.name, t.height from ports p left join tides t on t.port = p.port
=: select
=> name: ports.name
=> height: tides.height
=> (rows): tides.port/join, ports.port/join

## full-join
select port, p.name, t.height from ports p full outer join tides t using (port)
=: select
=> port: ports.port, tides.port
=> name: ports.name
=> height: tides.height
=> (rows): ports.port/join, tides.port/join

## natural-join
select name, height from ports natural join tides
=: select
=> name: ports.name
=> height: tides.height
=> (rows): ports.port/join, tides.port/join

## comma-join
select p.name from ports p, sailings s where p.port = s.port
=: select
=> name: ports.name
=> (rows): ports.port/filter, sailings.port/filter

## subquery
select name from ports where port not in (select port from sailings where port is not null)
=: select
=> name: ports.name
=> (rows): ports.port/filter, sailings.port/filter

## subquery
select name, (select height from tides t where t.port = p.port limit 1) as h from ports p
=: select
=> name: ports.name
=> h: tides.height, tides.port/filter, ports.port/filter

## exists
select name from ports p where not exists (select 1 from sailings s where s.port = p.port)
=: select
=> name: ports.name
=> (rows): sailings.port/filter, ports.port/filter

## row-values
select ticket_id from tickets where (sailing_id, fare) in (select sailing_id, berths from sailings)
=: select
=> ticket_id: tickets.ticket_id
=> (rows): tickets.sailing_id/filter, tickets.fare/filter, sailings.sailing_id/filter, sailings.berths/filter

## row-values
select ticket_id from tickets where (fare, sailing_id) > (10, 2)
=: select
=> ticket_id: tickets.ticket_id
=> (rows): tickets.fare/filter, tickets.sailing_id/filter

## union
select port from sailings union select port from tides order by 1
=: select
=> port: sailings.port, tides.port
=> (rows): sailings.port/group_by, tides.port/group_by

## except
select port from ports except select port from sailings
=: select
=> port: ports.port
=> (rows): sailings.port/filter, ports.port/group_by

## intersect
select port from ports intersect select port from sailings
=: select
=> port: ports.port, sailings.port
=> (rows): ports.port/group_by, sailings.port/group_by

## cte
with late as not materialized (select port from sailings where delayed) select p.name from ports p join late using (port)
=: select
=> name: ports.name
=> (rows): sailings.delayed/filter, ports.port/join, sailings.port/join

## recursive-cte
with chain(id, boss) as (select crew_id, boss_id from crew union all select c.crew_id, k.boss from crew c join chain k on c.boss_id = k.id) select id, boss from chain
=: select
=> id: crew.crew_id
=> boss: crew.boss_id
=> (rows): crew.boss_id/join, crew.crew_id/join

## recursive-cte
with recursive n(x) as (values (1) union all select x + 1 from n where x < 10) select x from n
=: select

## values
select column1, column2 from (values (1, 2), (3, 4))
=: select

## qualified-star
select s.*, p.name from sailings s join ports p on p.port = s.port
=: select
=> sailing_id: sailings.sailing_id
=> port: sailings.port
=> departs_at: sailings.departs_at
=> vessel_id: sailings.vessel_id
=> berths: sailings.berths
=> delayed: sailings.delayed
=> name: ports.name
=> (rows): ports.port/join, sailings.port/join

## collate
select name collate nocase as name from ports order by name collate rtrim
=: select
=> name: ~ports.name

## create-table
create table if not exists berth (berth_id integer primary key autoincrement, port references ports(port), length_m, wide int generated always as (length_m * 2) stored, unique (port)) strict, without rowid
=: create_table

## create-table-as
create table main.late as select sailing_id, port from sailings where delayed
=: create_table_as
=> main.late.sailing_id: sailings.sailing_id
=> main.late.port: sailings.port
=> main.late.(rows): sailings.delayed/filter

## temp-table
create temp table recent as select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from recent
=: create_table_as, insert
=> ports.port: sailings.port
=> ports.tide_offset: sailings.berths

## create-view
create temp view if not exists income (port, income) as select port, sum(fare) from sailings join tickets using (sailing_id) group by port
=: create_view

## virtual-table
create virtual table search using fts5(title, body)
=: create_table

## insert-select
insert into tides (port, at, height) select port, datetime('now'), tide_offset from ports
=: insert
=> tides.port: ports.port
=> tides.height: ports.tide_offset

## insert-values
insert into ports values ('SK', 'Skerry', 'North', 3), ('NH', 'North Haven', 'North', 4)
=: insert

## upsert
insert into ports (port, tide_offset) select port, height from tides where true on conflict (port) do update set tide_offset = excluded.tide_offset + tide_offset where name is not null
=: insert
=> ports.port: tides.port
=> ports.tide_offset: tides.height, ~tides.height, ~ports.tide_offset
=> ports.(rows): tides.port/join, ports.name/filter

## insert-or
insert or replace into ports (port, name) select port, role from crew
=: insert
=> ports.port: crew.port
=> ports.name: crew.role

## insert-or
insert or ignore into ports default values
=: insert

## replace
replace into ports (port, name) values ('SK', 'Skerry')
=: insert

## returning
insert into ports (port) values ('SK') returning port, name as n
=: insert

## update
update or ignore tickets set fare = fare * 2, (paid, passenger) = (select 1, name from crew) where ticket_id = 7
=: update
=> tickets.fare: ~tickets.fare
=> tickets.passenger: crew.name
=> tickets.(rows): tickets.ticket_id/filter

## update-join
update tickets set fare = fare - r.amount from refunds as r where r.ticket_id = tickets.ticket_id
=: update
=> tickets.fare: ~tickets.fare, ~refunds.amount
=> tickets.(rows): refunds.ticket_id/filter, tickets.ticket_id/filter

## delete
delete from refunds where amount = 0 order by at limit 5
=: delete
=> refunds.(rows): refunds.amount/filter, refunds.at/sort

## alter-table
create table t1 as select port, name from ports; alter table t1 rename column name to title; alter table t1 add column tide; alter table t1 rename to t2; insert into crew (name) select title from t2
=: create_table_as, alter_table, alter_table, alter_table, insert
=> t2.port: ports.port
=> t2.title: ports.name
=> crew.name: t2.title

## drop
drop table if exists main.late; drop view income; drop index by_name
=: drop_table, drop_view, drop_index

## trigger
create trigger noted after insert on refunds begin insert into crew (name) values (new.reason); update tickets set paid = 0 where ticket_id = new.ticket_id; end
=: create_trigger, insert, update
=> crew.name: refunds.reason
=> tickets.(rows): tickets.ticket_id/filter, refunds.ticket_id/filter

## trigger
create trigger old_fare before update of fare on tickets for each row when old.fare <> new.fare begin insert into refunds (ticket_id, amount) values (old.ticket_id, old.fare - new.fare); end
=: create_trigger, insert
=> refunds.ticket_id: tickets.ticket_id
=> refunds.amount: ~tickets.fare

## pragma
pragma foreign_keys = on; attach database 'other.db' as other; select port from other.ports2; detach database other
=: pragma, attach, select, detach
=> port: other.ports2.port

## transaction
begin immediate; savepoint a; rollback to a; end
=: begin, savepoint, rollback, end

## explain
explain query plan select port from ports
=: explain

## vacuum
vacuum; reindex; analyze
=: vacuum, reindex, analyze

## update-limit
update ports set name = 'x' order by port limit 3 offset 1; delete from ports where 1 order by port limit 1 offset 2
=: update, delete
=> ports.(rows): ports.port/sort

## operators
select * from ports where name not null and name isnull and name is not distinct from island and port is island
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> (rows): ports.name/filter, ports.island/filter, ports.port/filter

## union
select * from (select port from ports order by port limit 1) union select port from tides order by 1
=: select
=> port: ports.port, tides.port
=> (rows): ports.port/sort, ports.port/group_by, tides.port/group_by

## union
select port from ports order by name union select port from tides
=: select
=> port: ports.port, tides.port
=> (rows): ports.port/group_by, tides.port/group_by

## cross-join
select * from ports cross join tides on ports.port = tides.port
=: select
=> port: ports.port, tides.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> at: tides.at
=> height: tides.height
=> (rows): ports.port/join, tides.port/join

## upsert
insert or replace into ports select * from ports where true on conflict (port) do update set name = excluded.name where excluded.name <> 'x' returning *
=: insert
=> ports.port: ports.port
=> ports.name: ports.name
=> ports.island: ports.island
=> ports.tide_offset: ports.tide_offset
=> ports.(rows): ports.port/join, ports.name/filter

## virtual-table
select rowid, oid, p._rowid_ from ports p; pragma table_info(ports); attach 'x' as y; vacuum into 'z'; reindex; analyze; create virtual table v using fts5(a, b); select * from v where v match 'x' order by rank; begin immediate; end transaction
=: select, pragma, attach, vacuum, reindex, analyze, create_table, select, begin, end
=! star_of_unknown_table
=> *: v.*
=> (rows): v.v/filter

## temporary-self-update
create temp table f as select port, name from ports; update f set port = name || port; insert into sailings (port) select port from f
=: create_table_as, update, insert
=> sailings.port: ~ports.name, ~ports.port

## tight-spelling
select fare*-1 as a,fare-:x as b,fare>@y as c,fare%$z as d from tickets where fare<?1 and paid=:q
=: select
=> a: ~tickets.fare
=> b: ~tickets.fare
=> c: ~tickets.fare
=> d: ~tickets.fare
=> (rows): tickets.fare/filter, tickets.paid/filter

## update-target
update ports set (name, island) = (select name, role from crew c where c.port = ports.port)
=: update
=> ports.name: crew.name, crew.port/filter, ports.port/filter
=> ports.island: crew.role, crew.port/filter, ports.port/filter

## update-target
update or ignore ports as p set name = c.name from (select port, name from crew) as c where c.port = p.port
=: update
=> ports.name: crew.name
=> ports.(rows): crew.port/filter, ports.port/filter

## order-under-limit
select * from (select port from ports order by tide_offset desc) limit 5
=: select
=> port: ports.port
=> (rows): ports.tide_offset/sort
