## quoted-names
select `Port`, `port` from `quoted`

## strings
select "it's" as a, 'a\'b' as b, concat(name, "x") as c, _utf8mb4'x' as d from ports

## comments
select port # the port
  , name -- its name
from ports /*! force index (by_port) */

## parameters
select name from ports where port = ? and island = @island

## operators
select berths div 2 as half, berths mod 3 as rest, delayed xor 1 as odd, port <=> name as same, !delayed as on_time from sailings join ports using (port)

## regular-expressions
select name from ports where name rlike '^n' and island not regexp 'x$' and name sounds like 'Skerry'

## hints
select straight_join p.name from ports p use index (by_port) ignore index for join (by_name) join tides t force index (a, b) on t.port = p.port

## partitions
select fare from tickets partition (p2026, p2027) as t where t.paid

## json-path
select details -> '$.passenger.name' as a, details ->> '$.legs[0]' as b, json_extract(details, '$.fare') as c, json_unquote(json_extract(details, '$.x')) as d from bookings

## json-table
select j.port, j.nth from bookings b, json_table(b.legs, '$[*]' columns (nth for ordinality, port varchar(20) path '$.port' default 'x' on empty, nested path '$.stops[*]' columns (stop varchar(9) path '$'))) as j

## conditional-function
select if(paid, fare, 0) as income, ifnull(passenger, 'none') as who, nullif(fare, 0) as fare from tickets

## date-functions
select date_add(sold_at, interval 1 day) as a, sold_at - interval fare hour as b, timestampdiff(minute, sold_at, now()) as c, extract(day_hour from sold_at) as d from tickets

## cast
select cast(fare as unsigned) as a, convert(fare, decimal(10, 2)) as b, convert(passenger using utf8mb4) as c, binary passenger as d from tickets

## ordered-aggregate
select group_concat(distinct name order by tide_offset desc separator ', ') as names from ports group by island

## rollup
select port, sum(berths) from sailings group by port with rollup

## aliases-in-clauses
select port as p, sum(berths) as total from sailings group by p having total > 5 order by total

## string-alias
select fare 'the fare', paid as 'was paid' from tickets

## limit
select name from ports order by tide_offset limit 5, 10

## join
select s.berths, p.name from sailings s join ports p

## left-join
select p.name, t.height from ports p left join (tides t, crew c) on t.port = p.port and c.port = p.port

## natural-join
select name, height from ports natural left join tides

## lateral
select p.name, x.h from ports p join lateral (select max(height) as h from tides where tides.port = p.port) x on true

## subquery
select name from ports where port = any (select port from sailings)

## union
(select port from sailings limit 1) union distinct (select port from tides) order by port

## except
select port from ports except select port from sailings

## cte
with recursive chain as (select crew_id, boss_id from crew where boss_id is null union all select c.crew_id, c.boss_id from crew c join chain on c.boss_id = chain.crew_id) select crew_id from chain

## window
select fare, row_number() over w as n, lag(fare, 1) over (w) as before_it from tickets window w as (partition by sailing_id order by sold_at)

## values
select column_0 from (values row(1, 2), row(3, 4)) as v

## member-of
select booking_id from bookings where 'SK' member of (legs)

## user-variables
select @n := @n + berths as running from sailings

## locking
select fare from tickets where ticket_id = 1 for update skip locked

## time-travel
select name from ports for system_time between '2026-01-01' and now()

## create-table
create table if not exists core.berth (berth_id int unsigned not null auto_increment, port varchar(20) character set utf8mb4 comment 'where', length_m decimal(6,2), primary key (berth_id), key by_port (port), constraint fk foreign key (port) references ports (port)) engine = InnoDB default charset = utf8mb4

## create-table-as
create table core.late engine = InnoDB select sailing_id, port from sailings where delayed

## create-table-like
create table core.ports_copy like ports

## temp-table
create temporary table recent select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from recent; drop temporary table recent

## create-view
create or replace algorithm = merge definer = `clerk`@`%` sql security invoker view core.income as select port, sum(fare) as income from sailings join tickets using (sailing_id) group by port

## alter-view
alter view core.income as select port from sailings

## insert-select
insert ignore into tides (port, height) select port, tide_offset from ports

## insert-set
insert into ports set port = 'SK', tide_offset = (select max(height) from tides)

## upsert
insert into ports (port, tide_offset) select port, height from tides on duplicate key update tide_offset = values(tide_offset) + ports.tide_offset, name = concat(name, '!')

## upsert
insert into ports (port, tide_offset) values ('SK', 3) as fresh on duplicate key update tide_offset = fresh.tide_offset

## replace
replace into ports (port, name) select port, role from crew

## update
update tickets set fare = fare + 1 where paid order by sold_at limit 10

## update-join
update tickets t join refunds r on r.ticket_id = t.ticket_id left join crew c on c.name = t.passenger set t.fare = t.fare - r.amount, r.reason = c.role where r.at > t.sold_at

## delete
delete low_priority from refunds where amount = 0 order by at limit 5

## delete-join
delete r, t from refunds r inner join tickets t on t.ticket_id = r.ticket_id where t.paid

## delete-join
delete from r using refunds as r join tickets t on t.ticket_id = r.ticket_id where not t.paid

## load
load data local infile '/data/ports.csv' replace into table ports fields terminated by ',' enclosed by '"' lines terminated by '\n' ignore 1 lines (port, @raw) set name = upper(@raw)

## copy-out
select port, name into outfile '/data/ports.csv' fields terminated by ',' from ports

## rename-table
create table ports_new as select port, name from ports; rename table ports to ports_old, ports_new to ports

## alter-table
create table t1 as select port, name from ports; alter table t1 change column name title varchar(50), add column tide int after title, drop column port; insert into crew (name) select title from t1

## partition-exchange
alter table tickets exchange partition p2026 with table tickets_2026 without validation

## drop
drop table if exists core.berth, core.late

## truncate
truncate refunds

## use
use core; select port from berths_here

## function
create function net(fare decimal(10,2), back decimal(10,2)) returns decimal(10,2) deterministic return fare - back; select net(fare, 1) as net from tickets

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

## trigger
create trigger noted after insert on refunds for each row insert into crew (name) values (new.reason)

## call
call close_day('SK')

## transaction
start transaction; lock tables ports write; unlock tables; commit

## show
show tables; describe ports; explain select port from ports

## executed-comments
/*!40101 set names utf8 */; select port /*!80000 , name */ from ports
