## quoted-names
select "port", Port as "Where" from quoted
=: select
=> port: quoted.port
=> Where: quoted.port

## strings
select q'[it's]' || name || n'x' || q'!a!' as a from ports
=: select
=> A: ~ports.name

## parameters
select name from ports where port = :port and island = &isle and tide_offset > :1
=: select
=> NAME: ports.name
=> (rows): ports.port/filter, ports.island/filter, ports.tide_offset/filter

## dual
select sysdate, user, systimestamp as at from dual
=: select

## rownum
select name from ports where rownum <= 5
=: select
=> NAME: ports.name

## outer-mark
select p.name, t.height from ports p, tides t where p.port = t.port(+)
=: select
=> NAME: ports.name
=> HEIGHT: tides.height
=> (rows): ports.port/filter, tides.port/filter

## connect-by
select level, crew_id, connect_by_root name as boss, sys_connect_by_path(name, '/') as way from crew start with boss_id is null connect by nocycle prior crew_id = boss_id order siblings by name
=: select
=> CREW_ID: crew.crew_id
=> BOSS: ~crew.name
=> WAY: ~crew.name
=> (rows): crew.boss_id/filter, crew.crew_id/filter

## minus
select port from ports minus select port from sailings
=: select
=> PORT: ports.port
=> (rows): sailings.port/filter, ports.port/group_by

## conditional-function
select decode(paid, 1, fare, 2, fare / 2, 0) as income, nvl(passenger, 'none') as who, nvl2(passenger, fare, 1) as x, coalesce(passenger, 'n') as c, nullif(fare, 0) as f from tickets
=: select
=> INCOME: ~tickets.fare, tickets.paid/conditional
=> WHO: ~tickets.passenger
=> X: ~tickets.fare, tickets.passenger/conditional
=> C: ~tickets.passenger
=> F: ~tickets.fare

## date-functions
select trunc(sold_at, 'MM') as a, add_months(sold_at, 1) as b, months_between(sysdate, sold_at) as c, extract(year from sold_at) as d, sold_at + interval '1' day as e, to_date('2026-01-01', 'YYYY-MM-DD') as f from tickets
=: select
=> A: ~tickets.sold_at
=> B: ~tickets.sold_at
=> C: ~tickets.sold_at
=> D: ~tickets.sold_at
=> E: ~tickets.sold_at

## cast
select cast(fare as number(10, 2)) as fare, to_char(sold_at, 'YYYY') as y, to_number(passenger default 0 on conversion error) as n from tickets
=: select
=> FARE: ~tickets.fare
=> Y: ~tickets.sold_at
=> N: ~tickets.passenger

## aggregates
select listagg(name, ', ') within group (order by tide_offset) as names, median(tide_offset) as middle from ports
=: select
=> NAMES: +ports.name, ports.tide_offset/sort
=> MIDDLE: +ports.tide_offset

## keep
select port, max(height) keep (dense_rank last order by at) as latest from tides group by port
=: select
=> PORT: tides.port
=> LATEST: +tides.height, tides.at/sort
=> (rows): tides.port/group_by

## window
select fare, sum(fare) over (partition by sailing_id order by sold_at range between interval '1' day preceding and current row) as s, ratio_to_report(fare) over () as r, lag(fare ignore nulls) over (order by sold_at) as l from tickets
=: select
=> FARE: tickets.fare
=> S: +tickets.fare, tickets.sailing_id/window, tickets.sold_at/window
=> R: ~tickets.fare
=> L: ~tickets.fare, tickets.sold_at/window

## rollup
select port, grouping_id(port) as g, sum(berths) as b from sailings group by rollup (port, vessel_id)
=: select
=> PORT: sailings.port
=> B: +sailings.berths
=> (rows): sailings.port/group_by, sailings.vessel_id/group_by

## cube
select port, sum(berths) as b from sailings group by cube (port)
=: select
=> PORT: sailings.port
=> B: +sailings.berths
=> (rows): sailings.port/group_by

## grouping-sets
select port, sum(berths) as b from sailings group by grouping sets ((port), (vessel_id))
=: select
=> PORT: sailings.port
=> B: +sailings.berths
=> (rows): sailings.port/group_by, sailings.vessel_id/group_by

## pivot
select * from (select port, delayed, berths from sailings) pivot (sum(berths) as b for delayed in ('Y' as late, 'N' as on_time))
=: select
=> PORT: sailings.port
=> LATE_B: +sailings.berths, sailings.delayed/conditional
=> ON_TIME_B: +sailings.berths, sailings.delayed/conditional
=> (rows): sailings.port/group_by

## unpivot
select * from ports unpivot include nulls (said for what in (name as 'n', island as 'i'))
=: select
=> port: ports.port
=> tide_offset: ports.tide_offset
=> SAID: ports.name, ports.island
=> (rows): ports.name/filter, ports.island/filter

## match-recognize
select * from tides match_recognize (partition by port order by at measures first(at) as low_at, classifier() as c one row per match after match skip to last up pattern (down+ up+) define up as up.height > prev(up.height), down as down.height < prev(down.height))
=: select
=> PORT: tides.port
=> LOW_AT: ~tides.at
=> (rows): tides.port/window, tides.at/window, tides.height/filter

## json-table
select b.booking_id, j.port, j.n from bookings b, json_table(b.details, '$.legs[*]' columns (n for ordinality, port varchar2(20) path '$.port', nested path '$.stops[*]' columns (stop varchar2(9) path '$'))) j
=: select
=> BOOKING_ID: bookings.booking_id
=> PORT: ~bookings.details{legs[*].port}
=> (rows): bookings.details/join

## json-path
select json_value(b.details, '$.passenger.name' returning varchar2(50) null on error) as who, b.details.fare as fare, json_query(details, '$.legs' with wrapper) as legs from bookings b
=: select
=> WHO: ~bookings.details{passenger.name}
=> FARE: ~bookings.details{FARE}
=> LEGS: ~bookings.details{legs}

## xml-table
select x.port, x.n from bookings b, xmltable('/legs/leg' passing b.legs columns n for ordinality, port varchar2(20) path '@port') x
=: select
=> PORT: ~bookings.legs{@port}
=> (rows): bookings.legs/join

## xml
select xmlelement("port", name) as x from ports
=: select
=> X: ~ports.name

## table-function
select column_value as leg from bookings b, table(b.legs)
=: select
=> LEG: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join

## lateral
select p.name, x.h from ports p cross apply (select max(height) as h from tides t where t.port = p.port) x
=: select
=> NAME: ports.name
=> H: +tides.height
=> (rows): tides.port/filter, ports.port/filter

## join
select s.berths, p.name from sailings s full outer join ports p on s.port = p.port
=: select
=> BERTHS: sailings.berths
=> NAME: ports.name
=> (rows): sailings.port/join, ports.port/join

## using-join
select port, p.name from ports p join tides t using (port)
=: select
=> PORT: ports.port
=> NAME: ports.name
=> (rows): ports.port/join, tides.port/join

## natural-join
select name, height from ports natural join tides
=: select
=> NAME: ports.name
=> HEIGHT: tides.height
=> (rows): ports.port/join, tides.port/join

## subquery
select name from ports where (port, island) in (select port, role from crew) and tide_offset > all (select height from tides)
=: select
=> NAME: ports.name
=> (rows): ports.port/filter, ports.island/filter, crew.port/filter, crew.role/filter, ports.tide_offset/filter, tides.height/filter

## exists
select name from ports p where exists (select 1 from sailings s where s.port = p.port)
=: select
=> NAME: ports.name
=> (rows): sailings.port/filter, ports.port/filter

## case
select case when paid = 1 then fare else 0 end as income from tickets
=: select
=> INCOME: ~tickets.fare, tickets.paid/conditional

## union
select port from sailings union all select port from tides
=: select
=> PORT: sailings.port, tides.port

## intersect
select port from ports intersect select port from sailings
=: select
=> PORT: ports.port, sailings.port
=> (rows): ports.port/group_by, sailings.port/group_by

## cte
with late as (select /*+ materialize */ port from sailings where delayed = 1) select p.name from ports p join late on late.port = p.port
=: select
=> NAME: ports.name
=> (rows): sailings.delayed/filter, sailings.port/join, ports.port/join

## recursive-cte
with chain (id, boss) as (select crew_id, boss_id from crew where boss_id is null union all select c.crew_id, k.boss from crew c join chain k on c.boss_id = k.id) search depth first by id set nth select id, boss, nth from chain
=: select
=> ID: crew.crew_id
=> BOSS: crew.boss_id
=> NTH: ~crew.crew_id
=> (rows): crew.boss_id/filter, crew.boss_id/join, crew.crew_id/join

## with-function
select name from ports order by nlssort(name, 'NLS_SORT=BINARY') fetch first 5 rows with ties
=: select
=> NAME: ports.name
=> (rows): ports.name/sort

## sample
select fare from tickets sample (10) seed (3)
=: select
=> FARE: tickets.fare

## time-travel
select name from ports as of timestamp systimestamp - interval '1' hour
=: select
=> NAME: ports.name

## time-travel
select name from ports versions between scn minvalue and maxvalue
=: select
=> NAME: ports.name

## partitions
select fare from tickets partition (p2026) t
=: select
=> FARE: tickets.fare

## database-link
select t.port from core.trips@far t
=: select
=> PORT: CORE.TRIPS@FAR.PORT

## locking
select fare from tickets where ticket_id = 1 for update of fare nowait
=: select
=> FARE: tickets.fare
=> (rows): tickets.ticket_id/filter

## create-table
create table core.berth (berth_id number generated by default as identity primary key, port varchar2(20 char) default 'SK' not null, wide number(6, 2) as (berth_id * 2) virtual, constraint fk foreign key (port) references ports (port)) tablespace users partition by range (berth_id) (partition p1 values less than (10))
=: create_table

## create-table-as
create table core.late nologging parallel 4 as select sailing_id, port from sailings where delayed = 1
=: create_table_as
=> CORE.LATE.SAILING_ID: sailings.sailing_id
=> CORE.LATE.PORT: sailings.port
=> CORE.LATE.(rows): sailings.delayed/filter

## temp-table
create global temporary table recent on commit preserve rows as select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from recent
=: create_table_as, insert
=> ports.port: sailings.port
=> ports.tide_offset: sailings.berths

## create-view
create or replace force editionable view core.income (port, income) as select s.port, sum(t.fare) from sailings s join tickets t on t.sailing_id = s.sailing_id group by s.port with read only
=: create_view
=> CORE.INCOME.PORT: sailings.port
=> CORE.INCOME.INCOME: +tickets.fare
=> CORE.INCOME.(rows): tickets.sailing_id/join, sailings.sailing_id/join, sailings.port/group_by

## materialized-view
create materialized view core.highest build immediate refresh fast on commit enable query rewrite as select port, max(height) as highest from tides group by port
=: create_materialized_view
=> CORE.HIGHEST.PORT: tides.port
=> CORE.HIGHEST.HIGHEST: +tides.height
=> CORE.HIGHEST.(rows): tides.port/group_by

## insert-select
insert /*+ append */ into tides (port, at, height) select port, sysdate, tide_offset from ports
=: insert
=> tides.port: ports.port
=> tides.height: ports.tide_offset

## insert-values
insert into ports (port, name) values ('SK', (select max(name) from crew)) log errors into err ('x') reject limit unlimited
=: insert
=> ports.name: +crew.name

## multi-insert
insert all into ports (port) values (port) into crew (name) values (reason) select port, reason from refunds r join sailings s on s.sailing_id = r.ticket_id
=: insert, insert
=> ports.port: sailings.port
=> ports.(rows): sailings.sailing_id/join, refunds.ticket_id/join
=> crew.name: refunds.reason
=> crew.(rows): sailings.sailing_id/join, refunds.ticket_id/join

## multi-insert
insert first when fare > 10 then into refunds (amount) values (fare) else into crew (name) values (passenger) select fare, passenger from tickets
=: insert, insert
=> refunds.amount: tickets.fare
=> refunds.(rows): tickets.fare/filter
=> crew.name: tickets.passenger
=> crew.(rows): tickets.fare/filter

## update
update tickets t set (fare, passenger) = (select r.amount, r.reason from refunds r where r.ticket_id = t.ticket_id), paid = 0 where t.paid = 1
=: update
=> tickets.fare: refunds.amount, refunds.ticket_id/filter, tickets.ticket_id/filter
=> tickets.passenger: refunds.reason, refunds.ticket_id/filter, tickets.ticket_id/filter
=> tickets.(rows): tickets.paid/filter

## update-view
update (select t.fare, r.amount from tickets t join refunds r on r.ticket_id = t.ticket_id) x set x.fare = x.amount
=: update
=> tickets.fare: refunds.amount
=> tickets.(rows): refunds.ticket_id/join, tickets.ticket_id/join

## delete
delete refunds where amount = 0
=: delete
=> refunds.(rows): refunds.amount/filter

## delete
delete from refunds r where exists (select 1 from tickets t where t.ticket_id = r.ticket_id) returning r.amount into :gone
=: delete
=> refunds.(rows): tickets.ticket_id/filter, refunds.ticket_id/filter

## merge
merge into ports t using (select port, max(height) as h from tides group by port) s on (t.port = s.port) when matched then update set t.tide_offset = s.h where s.h > 4 delete where t.tide_offset < 0 when not matched then insert (t.port, t.tide_offset) values (s.port, s.h) where s.h is not null
=: merge
=> ports.tide_offset: +tides.height
=> ports.port: tides.port
=> ports.(rows): tides.port/group_by, ports.port/join, tides.port/join, tides.height/filter, ports.tide_offset/filter

## alter-table
create table t1 as select port, name from ports; alter table t1 rename column name to title; alter table t1 add (x number, y varchar2(9)); alter table t1 drop (port); alter table t1 modify title varchar2(99); alter table t1 rename to t2; insert into crew (name) select title from t2
=: create_table_as, alter_table, alter_table, alter_table, alter_table, alter_table, insert
=> T2.TITLE: ports.name
=> crew.name: T2.TITLE

## partition-exchange
alter table tickets exchange partition p2026 with table tickets_new including indexes
=: alter_table, alter_table
=> tickets.ticket_id: TICKETS_NEW.ticket_id
=> tickets.sailing_id: TICKETS_NEW.sailing_id
=> tickets.fare: TICKETS_NEW.fare
=> tickets.sold_at: TICKETS_NEW.sold_at
=> tickets.passenger: TICKETS_NEW.passenger
=> tickets.paid: TICKETS_NEW.paid
=> TICKETS_NEW.ticket_id: tickets.ticket_id
=> TICKETS_NEW.sailing_id: tickets.sailing_id
=> TICKETS_NEW.fare: tickets.fare
=> TICKETS_NEW.sold_at: tickets.sold_at
=> TICKETS_NEW.passenger: tickets.passenger
=> TICKETS_NEW.paid: tickets.paid

## rename-table
create table t1 as select port from ports; rename t1 to t2; insert into crew (name) select port from t2
=: create_table_as, rename_table, insert
=> T2.PORT: ports.port
=> crew.name: T2.PORT

## drop
drop table core.berth cascade constraints purge; drop view core.income; drop materialized view core.highest
=: drop_table, drop_view, drop_materialized_view

## truncate
truncate table refunds drop storage
=: truncate

## function
create or replace function net(p_fare number, p_back in number default 0) return number deterministic is v number := 0; begin v := p_fare - p_back; return v; end net;
/
select net(t.fare, r.amount) as net from tickets t join refunds r on r.ticket_id = t.ticket_id
=: create_function, select
=> NET: ~tickets.fare, ~refunds.amount
=> (rows): refunds.ticket_id/join, tickets.ticket_id/join

## procedure
create or replace procedure close_day(p in varchar2, n out number) is
  cursor c is select port, height from tides where height > 4;
  total number;
begin
  select sum(berths) into total from sailings where port = p;
  if total > 5 then
    insert into ports (port, tide_offset) values (p, total);
  end if;
  for r in c loop
    update ports set tide_offset = r.height where port = r.port;
  end loop;
  for r2 in (select name from crew) loop
    insert into refunds (reason) values (r2.name);
  end loop;
  execute immediate 'delete from tides where height = 0';
exception
  when no_data_found then null;
end;
/
=: create_procedure, insert, update, insert, delete, null
=> ports.tide_offset: +sailings.berths, sailings.port/filter, tides.height, tides.height/filter
=> ports.(rows): sailings.berths/conditional, sailings.port/filter, ports.port/filter, tides.height/filter, tides.port/filter
=> refunds.reason: ~crew.name{NAME}
=> tides.(rows): tides.height/filter

## trigger
create or replace trigger noted after insert on refunds for each row begin insert into crew (name) values (:new.reason); end;
/
=: create_trigger, insert
=> crew.name: refunds.reason

## block
declare v number; begin select max(fare) into v from tickets; insert into ports (tide_offset) values (v); end;
/
=: block, insert
=> ports.tide_offset: +tickets.fare

## set-schema
alter session set current_schema = core
=: alter_session

## transaction
set transaction read only; savepoint a; commit; rollback
=: set, savepoint, commit, rollback

## grant
grant select on ports to clerk; comment on table ports is 'where'; create synonym p for ports; create index by_name on ports (name); explain plan for select port from ports
=: grant, comment, create_synonym, create_index, explain
