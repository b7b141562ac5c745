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
=> refunds.reason: crew.name
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

## update-target
update ports t set (t.name, t.island) = (select c.name, c.role from crew c where c.port = t.port)
=: update
=> ports.name: crew.name, crew.port/filter, ports.port/filter
=> ports.island: crew.role, crew.port/filter, ports.port/filter

## update-target
update (select p.name as n, c.role as r from ports p join crew c on c.port = p.port) x set x.n = x.r
=: update
=> ports.name: crew.role
=> ports.(rows): crew.port/join, ports.port/join

## update-target
update (select name, island from ports) set name = island where name is null
=: update
=> ports.name: ports.island
=> ports.(rows): ports.name/filter

## returning-into
declare v number; begin insert into ports (port, tide_offset) values ('a', 3) returning tide_offset into v; update tides set height = v; end;
=: block, insert, update
=> tides.height: ports.tide_offset

## records
declare r ports%rowtype; begin select * into r from ports where port = 'X'; insert into sailings (port, berths) values (r.port, r.tide_offset); end;
=: block, insert
=> sailings.port: ports.port, ports.port/filter
=> sailings.berths: ports.tide_offset, ports.port/filter

## records
declare cursor c is select port, height from tides; r c%rowtype; begin open c; loop fetch c into r; exit when c%notfound; insert into sailings (port, berths) values (r.port, r.height); end loop; close c; end;
=: block, open, exit, insert, close
=> sailings.port: tides.port
=> sailings.berths: tides.height

## order-under-limit
select * from (select port, name from ports order by tide_offset) where rownum <= 3
=: select
=> PORT: ports.port
=> NAME: ports.name
=> (rows): ports.tide_offset/sort

## json-table
select j.* from bookings b, json_table(b.details, '$.legs[*]' columns (port varchar2(10) path '$.p' default b.legs on empty, nested path '$.stops[*]' columns (stop varchar2(3) path '$'))) j
=: select
=> PORT: ~bookings.legs, ~bookings.details{legs[*].p}
=> STOP: ~bookings.details{legs[*].stops[*]}
=> (rows): bookings.details/join

## procedure
begin pkg.log(p => 1); log_it; pkg.init; if 1 = 1 then pkg.log('x'); else pkg.log('y'); end if; raise_application_error(-20001, 'bad'); insert into ports (port) select port from tides; exception when no_data_found then pkg.log('n'); when others then rollback; raise; end;
=: block, insert, rollback, raise
=! not_followed
=> ports.port: tides.port

## procedure
create or replace procedure refresh_ports(p_day in date) is v_n number; begin delete from ports; insert into ports (port, name) select port, role from crew; v_n := sql%rowcount; dbms_output.put_line('n=' || v_n); commit; exception when others then pkg.log_error(sqlcode, sqlerrm); raise; end refresh_ports;
=: create_procedure, delete, insert, commit, raise
=! not_followed
=> ports.port: crew.port
=> ports.name: crew.role

## bulk-collect
declare type t_ids is table of tickets.ticket_id%type index by pls_integer; l_ids t_ids; begin select ticket_id bulk collect into l_ids from tickets where paid = 1; forall i in 1 .. l_ids.count insert into refunds (refund_id, amount) values (l_ids(i), 1); end;
=: block, insert
=> refunds.refund_id: tickets.ticket_id, tickets.paid/filter

## bulk-collect
declare type r_t is record (p varchar2(10), h number); type t_t is table of r_t; l t_t; cursor c is select port, height from tides; begin open c; loop fetch c bulk collect into l limit 100; exit when l.count = 0; forall i in indices of l save exceptions insert into sailings (port, berths) values (l(i).p, l(i).h); end loop; close c; end;
=: block, open, exit, insert, close
=> sailings.port: tides.port
=> sailings.berths: tides.height

## package
create or replace package body pkg as g number := 0; procedure load(p in number) is begin insert into ports (port) select port from tides; end load; function f(x number) return number is begin return x * 2; end; begin g := 1; end pkg;
=: create_package_body, create_procedure, insert, create_function
=> ports.port: tides.port

## block
<<main>> declare x number; begin <<inner>> for i in 1..10 loop insert into ports (port) select port from tides; exit inner when i > 3; end loop inner; goto done; <<done>> null; end main;
=: block, insert, exit, goto, null
=> ports.port: tides.port

## sequences
insert into ports (port, tide_offset) select name, seq_p.nextval from crew
=: insert
=> ports.port: crew.name

## dynamic-sql
begin execute immediate q'[insert into ports (port) select port from tides]'; execute immediate 'truncate table ports'; execute immediate 'insert into ports (port) select name from crew where role = ''x''' ; end;
=: block, insert, truncate, insert
=> ports.port: tides.port, crew.name
=> ports.(rows): crew.role/filter

## with-function
with function f(x number) return number is begin return x + 1; end; select f(height) as h from tides
=: select
=> H: ~tides.height

## trigger
create or replace trigger trg before insert on tickets for each row begin :new.fare := :new.fare * 2; if inserting then pkg.log(:new.fare); elsif updating('FARE') then null; end if; end;
=: create_trigger, update, null
=! not_followed
=> tickets.fare: ~tickets.fare

## trigger
create or replace trigger trg for insert on tickets compound trigger v number; after each row is begin insert into refunds (ticket_id) values (:new.ticket_id); end after each row; end trg;
=: create_trigger, insert
=> refunds.ticket_id: tickets.ticket_id

## insert-select
insert into ports t (port, name) select port, role from crew
=: insert
=> ports.port: crew.port
=> ports.name: crew.role

## collection
select cast(multiset(select port from tides t where t.port = p.port) as t_list) as l from ports p
=: select
=> L: +tides.port, tides.port/filter, ports.port/filter

## search-cycle
with t (a, b) as (select crew_id, boss_id from crew union all select c.crew_id, c.boss_id from crew c, t where c.boss_id = t.a) cycle a set cyc to 'y' default 'n' select * from t
=: select
=> A: crew.crew_id
=> B: crew.boss_id
=> CYC: crew.crew_id/conditional
=> (rows): crew.boss_id/filter, crew.crew_id/filter

## time-travel
select versions_starttime, versions_xid, port from ports versions between timestamp minvalue and maxvalue
=: select
=> PORT: ports.port

## delete
delete from (select * from ports where name = 'x') where port = 'y'
=: delete
=> ports.(rows): ports.name/filter, ports.port/filter

## delete
delete (select port from ports p where p.name is null) x
=: delete
=> ports.(rows): ports.name/filter

## merge
merge into ports p using (select distinct port, first_value(role) over (partition by port order by crew_id) as r from crew) c on (p.port = c.port) when matched then update set p.name = c.r where p.name is null when not matched then insert (p.port, p.name) values (c.port, c.r) log errors into err$_ports ('x') reject limit unlimited
=: merge
=> ports.name: ~crew.role, crew.port/window, crew.crew_id/window
=> ports.port: crew.port
=> ports.(rows): crew.port/group_by, crew.role/group_by, crew.port/window, crew.crew_id/window, ports.port/join, crew.port/join, ports.name/filter

## multi-insert
insert all when h > 3 then into high (port, h) values (port, h) when h > 1 then into mid (port) values (port) else into low values (port, h) select port, height h from tides; insert first when 1 = 1 then into a (x) values (p) select port p from ports
=: insert, insert, insert, insert
=! unknown_insert_columns
=> HIGH.PORT: tides.port
=> HIGH.H: tides.height
=> HIGH.(rows): tides.height/filter
=> MID.PORT: tides.port
=> MID.(rows): tides.height/filter
=> LOW.COLUMN1: tides.port
=> LOW.COLUMN2: tides.height
=> LOW.(rows): tides.height/filter
=> A.X: ports.port

## connect-by
select level lv, lpad(' ', 2 * level) || name nm, sys_connect_by_path(name, '/') pth, connect_by_root crew_id rt, connect_by_isleaf lf, prior name pn from crew where role = 'x' start with boss_id is null connect by nocycle prior crew_id = boss_id and level < 5 order siblings by name
=: select
=> NM: ~crew.name
=> PTH: ~crew.name
=> RT: ~crew.crew_id
=> PN: ~crew.name
=> (rows): crew.role/filter, crew.boss_id/filter, crew.crew_id/filter

## minus
with a as (select /*+ materialize */ port, at from tides), b (p, m) as (select port, max(at) from a group by port) select a.*, b.m from a join b on b.p = a.port minus select port, at, at from tides union all select 'x', null, null from dual
=: select
=> PORT: tides.port
=> AT: tides.at
=> M: +tides.at
=> (rows): tides.port/group_by, tides.port/join, tides.port/filter, tides.at/filter, tides.at/group_by

## update
update ports p set (name, island) = (select c.name, c.role from crew c where c.port = p.port and rownum = 1) where exists (select null from crew c where c.port = p.port) returning name bulk collect into :x; delete from tides t where rowid > (select min(rowid) from tides b where b.port = t.port); insert into ports (port, name) select port, max(role) from crew group by port; insert /*+ append parallel(4) */ into ports select * from ports; update (select a.name n, b.role r from ports a join crew b on a.port = b.port) set n = r
=: update, delete, insert, insert, update
=> ports.name: crew.name, crew.port/filter, ports.port/filter, +crew.role, ports.name, crew.role
=> ports.island: crew.role, crew.port/filter, ports.port/filter, ports.island
=> ports.(rows): crew.port/filter, ports.port/filter, crew.port/group_by, ports.port/join, crew.port/join
=> tides.(rows): tides.port/filter
=> ports.port: crew.port, ports.port
=> ports.tide_offset: ports.tide_offset

## package
create or replace package body etl as g_run number; procedure step1 is begin insert into stg (port, h) select port, height from tides; end; procedure step2(p in varchar2) is v stg.h%type; begin select max(h) into v from stg where port = p; update ports set tide_offset = v where port = p; end step2; function calc(a number, b number default 1) return number deterministic is begin return a * b; end; procedure main is begin step1; step2('x'); for r in (select port, calc(h) c from stg) loop insert into fin (port, c) values (r.port, r.c); end loop; end main; begin g_run := 1; end etl;
/
begin etl.main; end;
/
=: create_package_body, create_procedure, insert, create_procedure, update, create_function, create_procedure, insert, block
=> STG.PORT: tides.port
=> STG.H: tides.height
=> ports.tide_offset: +STG.H, STG.PORT/filter
=> ports.(rows): ports.port/filter
=> FIN.PORT: STG.PORT
=> FIN.C: ~STG.H

## temporary-self-update
create private temporary table ora$ptt_f as select port, name from ports; update ora$ptt_f set port = name; insert into sailings (port) select port from ora$ptt_f
=: create_table_as, update, insert
=> sailings.port: ports.name

## tight-spelling
select fare*-1 a,fare||ticket_id b from tickets where fare>:x and paid=:y and ticket_id!=:z
=: select
=> A: ~tickets.fare
=> B: ~tickets.fare, ~tickets.ticket_id
=> (rows): tickets.fare/filter, tickets.paid/filter, tickets.ticket_id/filter

## update-target
update (select p.*, c.role from ports p, crew c where c.port = p.port) v set v.island = v.role
=: update
=> ports.island: crew.role
=> ports.(rows): crew.port/filter, ports.port/filter

## returning-into
declare a varchar2(9); b number; begin delete from ports where port = 'x' returning name, tide_offset into a, b; insert into crew (name, role) values (a, b); end;
=: block, delete, insert
=> ports.(rows): ports.port/filter
=> crew.name: ports.name, ports.port/filter
=> crew.role: ports.tide_offset, ports.port/filter

## order-under-limit
select * from (select port from ports order by tide_offset desc) fetch first 3 rows only
=: select
=> PORT: ports.port
=> (rows): ports.tide_offset/sort

## dynamic-sql
declare q varchar2(99) := 'insert into ports (port) '; begin q := q || 'select port from tides'; execute immediate q; end;
=: block, insert
=> ports.port: tides.port

## conditional-function
select decode(island, 'n', name, port) as d, decode(island, 'n', name) as e from ports
=: select
=> D: ~ports.name, ~ports.port, ports.island/conditional
=> E: ~ports.name, ports.island/conditional

## search-cycle
with t (a, b) as (select crew_id, boss_id from crew union all select c.crew_id, c.boss_id from crew c, t where c.boss_id = t.a) search depth first by a desc nulls last, b set ord select a, ord from t
=: select
=> A: crew.crew_id
=> ORD: ~crew.crew_id, ~crew.boss_id
=> (rows): crew.boss_id/filter, crew.crew_id/filter

## match-with-a-union-of-symbols
select * from tides match_recognize (partition by port order by at measures last(u.height) as top, first(a.at) as begun pattern (a b+ c) subset u = (a, b), w = (b, c) define b as height > prev(height))
=: select
=> PORT: tides.port
=> TOP: ~tides.height
=> BEGUN: ~tides.at
=> (rows): tides.port/window, tides.at/window, tides.height/filter

## cast-with-a-default
select cast(name as number default -1 on conversion error) as n, cast(fare as varchar2(10), 'x') as f from crew, tickets
=: select
=> N: ~crew.name
=> F: ~tickets.fare

## first-value-with-nulls-left-out
select first_value(height ignore nulls) over (order by at) as f, max(height) keep (dense_rank last order by at desc nulls last) as l from tides
=: select
=> F: ~tides.height, tides.at/window
=> L: +tides.height, tides.at/sort

## into-an-element
declare type ns is table of varchar2(9); l ns; begin select name into l(1) from ports; insert into crew (name) values (l(1)); end;
=: block, insert
=> crew.name: ports.name

## oracle-package
create package quay authid definer as procedure refresh; function made return number; end quay;
=: create_package
