## quoted-names
select `Port`, `port` from `quoted`
=: select
=> Port: quoted.port
=> port: quoted.port

## strings
select "it's" as a, 'a\'b' as b, concat(name, "x") as c, _utf8mb4'x' as d from ports
=: select
=> c: ~ports.name

## comments
select port # the port
  , name -- its name
from ports /*! force index (by_port) */
=: select
=> port: ports.port
=> name: ports.name

## parameters
select name from ports where port = ? and island = @island
=: select
=> name: ports.name
=> (rows): ports.port/filter, ports.island/filter

## operators
select berths div 2 as half, berths mod 3 as rest, delayed xor 1 as odd, port <=> name as same, !delayed as on_time from sailings join ports using (port)
=: select
=> half: ~sailings.berths
=> rest: ~sailings.berths
=> odd: ~sailings.delayed
=> same: ~sailings.port, ~ports.name
=> on_time: ~sailings.delayed
=> (rows): sailings.port/join, ports.port/join

## regular-expressions
select name from ports where name rlike '^n' and island not regexp 'x$' and name sounds like 'Skerry'
=: select
=> name: ports.name
=> (rows): ports.name/filter, ports.island/filter

## hints
select straight_join p.name from ports p use index (by_port) ignore index for join (by_name) join tides t force index (a, b) on t.port = p.port
=: select
=> name: ports.name
=> (rows): tides.port/join, ports.port/join

## partitions
select fare from tickets partition (p2026, p2027) as t where t.paid
=: select
=> fare: tickets.fare
=> (rows): tickets.paid/filter

## json-path
select details -> '$.passenger.name' as a, details ->> '$.legs[0]' as b, json_extract(details, '$.fare') as c, json_unquote(json_extract(details, '$.x')) as d from bookings
=: select
=> a: ~bookings.details{passenger.name}
=> b: ~bookings.details{legs[0]}
=> c: ~bookings.details{fare}
=> d: ~bookings.details{x}

## json-table
select j.port, j.nth from bookings b, json_table(b.legs, '$[*]' columns (nth for ordinality, port varchar(20) path '$.port' default 'x' on empty, nested path '$.stops[*]' columns (stop varchar(9) path '$'))) as j
=: select
=> port: ~bookings.legs{[*].port}
=> (rows): bookings.legs/join

## conditional-function
select if(paid, fare, 0) as income, ifnull(passenger, 'none') as who, nullif(fare, 0) as fare from tickets
=: select
=> income: ~tickets.fare, tickets.paid/conditional
=> who: ~tickets.passenger
=> fare: ~tickets.fare

## date-functions
select date_add(sold_at, interval 1 day) as a, sold_at - interval fare hour as b, timestampdiff(minute, sold_at, now()) as c, extract(day_hour from sold_at) as d from tickets
=: select
=> a: ~tickets.sold_at
=> b: ~tickets.sold_at, ~tickets.fare
=> c: ~tickets.sold_at
=> d: ~tickets.sold_at

## cast
select cast(fare as unsigned) as a, convert(fare, decimal(10, 2)) as b, convert(passenger using utf8mb4) as c, binary passenger as d from tickets
=: select
=> a: ~tickets.fare
=> b: ~tickets.fare
=> c: ~tickets.passenger
=> d: ~tickets.passenger

## ordered-aggregate
select group_concat(distinct name order by tide_offset desc separator ', ') as names from ports group by island
=: select
=> names: +ports.name, ports.tide_offset/sort
=> (rows): ports.island/group_by

## rollup
select port, sum(berths) from sailings group by port with rollup
=: select
=> port: sailings.port
=> sum(berths): +sailings.berths
=> (rows): sailings.port/group_by

## aliases-in-clauses
select port as p, sum(berths) as total from sailings group by p having total > 5 order by total
=: select
=> p: sailings.port
=> total: +sailings.berths
=> (rows): sailings.port/group_by, sailings.berths/filter

## string-alias
select fare 'the fare', paid as 'was paid' from tickets
=: select
=> the fare: tickets.fare
=> was paid: tickets.paid

## limit
select name from ports order by tide_offset limit 5, 10
=: select
=> name: ports.name
=> (rows): ports.tide_offset/sort

## join
select s.berths, p.name from sailings s join ports p
=: select
=> berths: sailings.berths
=> name: ports.name

## left-join
select p.name, t.height from ports p left join (tides t, crew c) on t.port = p.port and c.port = p.port
=: select
=> name: ports.name
=> height: tides.height
=> (rows): tides.port/join, ports.port/join, crew.port/join

## natural-join
select name, height from ports natural left join tides
=: select
=> name: ports.name
=> height: tides.height
=> (rows): ports.port/join, tides.port/join

## lateral
select p.name, x.h from ports p join lateral (select max(height) as h from tides where tides.port = p.port) x on true
=: select
=> name: ports.name
=> h: +tides.height
=> (rows): tides.port/filter, ports.port/filter

## subquery
select name from ports where port = any (select port from sailings)
=: select
=> name: ports.name
=> (rows): ports.port/filter, sailings.port/filter

## union
(select port from sailings limit 1) union distinct (select port from tides) order by port
=: select
=> port: sailings.port, tides.port
=> (rows): sailings.port/group_by, tides.port/group_by

## except
select port from ports except select port from sailings
=: select
=> port: ports.port
=> (rows): sailings.port/filter, ports.port/group_by

## cte
with recursive chain as (select crew_id, boss_id from crew where boss_id is null union all select c.crew_id, c.boss_id from crew c join chain on c.boss_id = chain.crew_id) select crew_id from chain
=: select
=> crew_id: crew.crew_id
=> (rows): crew.boss_id/filter, crew.boss_id/join, crew.crew_id/join

## window
select fare, row_number() over w as n, lag(fare, 1) over (w) as before_it from tickets window w as (partition by sailing_id order by sold_at)
=: select
=> fare: tickets.fare
=> n: tickets.sailing_id/window, tickets.sold_at/window
=> before_it: ~tickets.fare, tickets.sailing_id/window, tickets.sold_at/window

## values
select column_0 from (values row(1, 2), row(3, 4)) as v
=: select

## member-of
select booking_id from bookings where 'SK' member of (legs)
=: select
=> booking_id: bookings.booking_id
=> (rows): bookings.legs/filter

## user-variables
select @n := @n + berths as running from sailings
=: select
=> running: ~sailings.berths

## locking
select fare from tickets where ticket_id = 1 for update skip locked
=: select
=> fare: tickets.fare
=> (rows): tickets.ticket_id/filter

## time-travel
select name from ports for system_time between '2026-01-01' and now()
=: select
=> name: ports.name

## create-table
create table if not exists core.berth (berth_id int unsigned not null auto_increment, port varchar(20) character set utf8mb4 comment 'where', length_m decimal(6,2), primary key (berth_id), key by_port (port), constraint fk foreign key (port) references ports (port)) engine = InnoDB default charset = utf8mb4
=: create_table

## create-table-as
create table core.late engine = InnoDB select sailing_id, port from sailings where delayed
=: create_table_as
=> core.late.sailing_id: sailings.sailing_id
=> core.late.port: sailings.port
=> core.late.(rows): sailings.delayed/filter

## create-table-like
create table core.ports_copy like ports
=: create_table

## temp-table
create temporary table recent select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from recent; drop temporary table recent
=: create_table_as, insert, drop_table
=> ports.port: sailings.port
=> ports.tide_offset: sailings.berths

## create-view
create or replace algorithm = merge definer = `clerk`@`%` sql security invoker view core.income as select port, sum(fare) as income from sailings join tickets using (sailing_id) group by port
=: create_view
=> core.income.port: sailings.port
=> core.income.income: +tickets.fare
=> core.income.(rows): sailings.sailing_id/join, tickets.sailing_id/join, sailings.port/group_by

## alter-view
alter view core.income as select port from sailings
=: alter_view
=> core.income.port: sailings.port

## insert-select
insert ignore into tides (port, height) select port, tide_offset from ports
=: insert
=> tides.port: ports.port
=> tides.height: ports.tide_offset

## insert-set
insert into ports set port = 'SK', tide_offset = (select max(height) from tides)
=: insert
=> ports.tide_offset: +tides.height

## upsert
insert into ports (port, tide_offset) select port, height from tides on duplicate key update tide_offset = values(tide_offset) + ports.tide_offset, name = concat(name, '!')
=: insert
=> ports.port: tides.port
=> ports.tide_offset: tides.height, ~tides.height, ~ports.tide_offset
=> ports.name: ~ports.name
=> ports.(rows): tides.port/join, tides.height/join

## upsert
insert into ports (port, tide_offset) values ('SK', 3) as fresh on duplicate key update tide_offset = fresh.tide_offset
=: insert

## replace
replace into ports (port, name) select port, role from crew
=: insert
=> ports.port: crew.port
=> ports.name: crew.role

## update
update tickets set fare = fare + 1 where paid order by sold_at limit 10
=: update
=> tickets.fare: ~tickets.fare
=> tickets.(rows): tickets.paid/filter, tickets.sold_at/sort

## update-join
update tickets t join refunds r on r.ticket_id = t.ticket_id left join crew c on c.name = t.passenger set t.fare = t.fare - r.amount, r.reason = c.role where r.at > t.sold_at
=: update, update
=> refunds.reason: crew.role
=> refunds.(rows): refunds.ticket_id/join, tickets.ticket_id/join, crew.name/join, tickets.passenger/join, refunds.at/filter, tickets.sold_at/filter
=> tickets.fare: ~tickets.fare, ~refunds.amount
=> tickets.(rows): refunds.ticket_id/join, tickets.ticket_id/join, crew.name/join, tickets.passenger/join, refunds.at/filter, tickets.sold_at/filter

## delete
delete low_priority from refunds where amount = 0 order by at limit 5
=: delete
=> refunds.(rows): refunds.amount/filter, refunds.at/sort

## delete-join
delete r, t from refunds r inner join tickets t on t.ticket_id = r.ticket_id where t.paid
=: delete, delete
=> tickets.(rows): tickets.ticket_id/join, refunds.ticket_id/join, tickets.paid/filter
=> refunds.(rows): tickets.ticket_id/join, refunds.ticket_id/join, tickets.paid/filter

## delete-join
delete from r using refunds as r join tickets t on t.ticket_id = r.ticket_id where not t.paid
=: delete
=> refunds.(rows): tickets.ticket_id/join, refunds.ticket_id/join, tickets.paid/filter

## load
load data local infile '/data/ports.csv' replace into table ports fields terminated by ',' enclosed by '"' lines terminated by '\n' ignore 1 lines (port, @raw) set name = upper(@raw)
=: load
=> ports.port: /data/ports.csv.port
=> ports.name: ~/data/ports.csv.raw

## copy-out
select port, name into outfile '/data/ports.csv' fields terminated by ',' from ports
=: select_into_outfile
=> /data/ports.csv.port: ports.port
=> /data/ports.csv.name: ports.name

## rename-table
create table ports_new as select port, name from ports; rename table ports to ports_old, ports_new to ports
=: create_table_as, rename_table
=> ports.port: ports.port
=> ports.name: ports.name

## alter-table
create table t1 as select port, name from ports; alter table t1 change column name title varchar(50), add column tide int after title, drop column port; insert into crew (name) select title from t1
=: create_table_as, alter_table, insert
=> t1.title: ports.name
=> crew.name: t1.title

## partition-exchange
alter table tickets exchange partition p2026 with table tickets_2026 without validation
=: alter_table, alter_table
=> tickets.ticket_id: tickets_2026.ticket_id
=> tickets.sailing_id: tickets_2026.sailing_id
=> tickets.fare: tickets_2026.fare
=> tickets.sold_at: tickets_2026.sold_at
=> tickets.passenger: tickets_2026.passenger
=> tickets.paid: tickets_2026.paid
=> tickets_2026.ticket_id: tickets.ticket_id
=> tickets_2026.sailing_id: tickets.sailing_id
=> tickets_2026.fare: tickets.fare
=> tickets_2026.sold_at: tickets.sold_at
=> tickets_2026.passenger: tickets.passenger
=> tickets_2026.paid: tickets.paid

## drop
drop table if exists core.berth, core.late
=: drop_table

## truncate
truncate refunds
=: truncate

## use
use core; select port from berths_here
=: use, select
=> port: core.berths_here.port

## function
create function net(fare decimal(10,2), back decimal(10,2)) returns decimal(10,2) deterministic return fare - back; select net(fare, 1) as net from tickets
=: create_function, select
=> net: ~tickets.fare

## procedure
create procedure close_day(in p_port varchar(20))
begin
  declare total int default 0;
  declare done int default false;
  select sum(berths) into total from sailings where port = p_port;
  if total > 5 then
    insert into ports (port, tide_offset) values (p_port, total);
  elseif total = 0 then
    delete from ports where port = p_port;
  else
    set total = total + 1;
  end if;
end
=: create_procedure, insert, delete
=> ports.tide_offset: +sailings.berths, sailings.port/filter
=> ports.(rows): sailings.berths/conditional, sailings.port/filter, ports.port/filter

## trigger
create trigger noted after insert on refunds for each row insert into crew (name) values (new.reason)
=: create_trigger, insert
=> crew.name: refunds.reason

## call
call close_day('SK')
=: call
=! not_followed

## transaction
start transaction; lock tables ports write; unlock tables; commit
=: start, lock, unlock, commit

## show
show tables; describe ports; explain select port from ports
=: show, describe, explain

## executed-comments
/*!40101 set names utf8 */; select port /*!80000 , name */ from ports
=: set, select
=> port: ports.port
=> name: ports.name

## delimiter
delimiter //
create procedure p() begin insert into crew (name) select name from ports; delete from tides; end //
delimiter ;
select port from ports
=: delimiter, create_procedure, insert, delete, delimiter, select
=> crew.name: ports.name
=> port: ports.port

## order-under-limit
select * from (select port from ports order by tide_offset desc) x limit 5
=: select
=> port: ports.port
=> (rows): ports.tide_offset/sort

## block
begin not atomic declare v int; select max(height) into v from tides; insert into sailings (berths) values (v); end
=: block, insert
=> sailings.berths: +tides.height

## dynamic-sql
set @q = "insert into ports (port) select port from tides"; prepare st from @q; execute st; deallocate prepare st;
=: set, prepare, execute, insert, deallocate
=> ports.port: tides.port

## dynamic-sql
prepare st from 'insert into ports (port) select port from tides where height > ?'; execute st using @h
=: prepare, execute, insert
=> ports.port: tides.port
=> ports.(rows): tides.height/filter

## cross-join
select * from ports cross join tides on ports.port = tides.port where match (name, island) against ('x' in boolean mode)
=: select
=> port: ports.port, tides.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> at: tides.at
=> height: tides.height
=> (rows): ports.port/join, tides.port/join, ports.name/filter, ports.island/filter

## full-text
select match(name) against (island with query expansion) as score from ports lock in share mode
=: select
=> score: ~ports.name, ~ports.island

## strings
select _utf8mb4'x' as a, _latin1 x'4D' as b, n'x' as c, _binary 'y' = name as d, _utf8 0x41 as e from ports
=: select
=> d: ~ports.name

## periods
delete from ports for portion of p from '2020-01-01' to '2021-01-01' where name = 'x'; update ports for portion of p from '2020' to '2021' set name = 'y'
=: delete, update
=> ports.(rows): ports.name/filter

## insert-set
insert into ports values (); insert into ports () values (); insert into ports set port = (select port from tides), name = 'x'
=: insert, insert, insert
=> ports.port: tides.port

## hints
select a.* from ports a force index (x) use index for join (y) ignore key (z) where port in (1)
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> (rows): ports.port/filter

## hints
select sql_no_cache straight_join high_priority port from ports partition (p0, p1) as p procedure analyse()
=: select
=> port: ports.port

## operators
select name as `n` from ports where name <=> 'x' and name regexp '^a' and name not rlike 'b' and name sounds like 'c' and tide_offset div 2 = 1 and tide_offset mod 2 xor 1
=: select
=> n: ports.name
=> (rows): ports.name/filter, ports.tide_offset/filter

## operators
select * from ports where (port, name) = any (select port, at from tides) and json_extract(name, '$.a') = 1 and name->'$.b' = 1 and name->>'$.c' is not null and 'x' member of (name)
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> (rows): ports.port/filter, ports.name{a}/filter, tides.port/filter, tides.at/filter

## ordered-aggregate
with recursive c (n) as (select 1 union all select n + 1 from c where n < 5) select n from c; select group_concat(distinct name order by port desc separator ',') as g from ports
=: select, select
=> g: +ports.name, ports.port/sort

## temporary-self-update
create temporary table f as select port, name from ports; update f set port = name; insert into sailings (port) select port from f
=: create_table_as, update, insert
=> sailings.port: ports.name

## tight-spelling
select fare*-1 as a,fare-@x as b,fare>@y as c,fare%@z as d,passenger=@p as e from tickets where fare<@x and paid!=@q
=: select
=> a: ~tickets.fare
=> b: ~tickets.fare
=> c: ~tickets.fare
=> d: ~tickets.fare
=> e: ~tickets.passenger
=> (rows): tickets.fare/filter, tickets.paid/filter

## update-target
update ports p, crew c set p.name = c.name, c.role = p.island where p.port = c.port
=: update, update
=> crew.role: ports.island
=> crew.(rows): ports.port/filter, crew.port/filter
=> ports.name: crew.name
=> ports.(rows): ports.port/filter, crew.port/filter

## update-target
update (select port as k, max(height) as h from tides group by port) t join ports p on p.port = t.k set p.tide_offset = t.h
=: update
=> ports.tide_offset: +tides.height
=> ports.(rows): tides.port/group_by, ports.port/join, tides.port/join

## records
create procedure p() begin declare a varchar(9); declare b int; declare done int default 0; declare c cursor for select port, height from tides; declare continue handler for not found set done = 1; open c; read_loop: loop fetch c into a, b; if done then leave read_loop; end if; insert into sailings (port, berths) values (a, b); end loop; close c; end
=: create_procedure, open, leave, insert, close
=> sailings.port: tides.port
=> sailings.berths: tides.height

## unit-words
select timestampdiff(day, sold_at, at) as a, date_add(sold_at, interval fare day) as b, extract(year_month from sold_at) as c from tickets, refunds
=: select
=> a: ~tickets.sold_at, ~refunds.at
=> b: ~tickets.sold_at, ~tickets.fare
=> c: ~tickets.sold_at

## qualified-names
select core.ports.name, tidy.ports.name as b from core.ports join tidy.ports on core.ports.port = tidy.ports.port
=: select
=> name: core.ports.name
=> b: tidy.ports.name
=> (rows): core.ports.port/join, tidy.ports.port/join

## dynamic-sql
prepare st from 'insert into crew (name) select concat(port, \'-\', name) from ports'; execute st
=: prepare, execute, insert
=> crew.name: ~ports.port, ~ports.name

## load-into-a-partition
load data infile 'x.csv' into table ports partition (p0, p1) fields terminated by ',' (port, name)
=: load
=> ports.port: x.csv.port
=> ports.name: x.csv.name

## interval-of-an-expression
select date_add(sold_at, interval fare + 1 day) as d from tickets
=: select
=> d: ~tickets.sold_at, ~tickets.fare

## table-with-keys-only-named
create table made (a int, constraint c unique (a), index i (a), primary key (a)); insert into made select sailing_id from sailings
=: create_table, insert
=> made.a: sailings.sailing_id

## view-with-a-definer
create or replace algorithm = merge definer = `quay`@`%` sql security invoker view v (a, b) as select port, name from ports
=: create_view
=> v.a: ports.port
=> v.b: ports.name

## mysql-event
create event nightly on schedule every 1 day do insert into crew (name) select name from ports
=: create_event, insert
=> crew.name: ports.name

## mysql-trigger-with-definer
create definer = `quay`@`%` trigger t before insert on crew for each row set new.name = (select name from ports limit 1)
=: create_trigger, set
