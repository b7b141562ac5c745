## quoted-names
select "port" as "Where" from quoted

## strings
select 'it''s ' || name || $$plain$$ from ports

## parameters
select name from ports where port = $1 and island = :island and tide_offset > %(tide)s

## lateral-alias
select fare * 2 as twice, twice + 1 as more from tickets

## top
select top 5 port from ports order by tide_offset desc

## qualify
select port, height from tides qualify row_number() over (partition by port order by height desc) = 1

## star-except
select * exclude (berths, delayed) from sailings

## conditional-function
select nvl(passenger, 'none') as who, nvl2(passenger, fare, 1) as x, decode(paid, true, fare, 0) as y from tickets

## date-functions
select dateadd(day, 1, sold_at) as a, datediff(month, sold_at, getdate()) as b, date_part(year, sold_at) as c, date_trunc('week', sold_at) as d, extract(dow from sold_at) as e from tickets

## cast
select fare::decimal(10, 2) as fare, cast(sold_at as date) as d, convert(integer, passenger) as n from tickets

## aggregates
select listagg(distinct name, ', ') within group (order by tide_offset) as names, median(tide_offset) as middle, approximate count(distinct island) as islands from ports

## within-group
select percentile_cont(0.5) within group (order by fare) over (partition by sailing_id) as middle from tickets

## window
select fare, ratio_to_report(fare) over (partition by sailing_id) as share, lag(fare, 1) ignore nulls over (order by sold_at) as before_it from tickets

## grouping-sets
select port, sum(berths) from sailings group by grouping sets ((port), ())

## rollup
select port, sum(berths) from sailings group by rollup (port, vessel_id)

## cube
select port, sum(berths) from sailings group by cube (port)

## super-path
select b.details.passenger.name as who, b.legs[0].port as p from bookings b

## super-unnest
select b.booking_id, l.port from bookings b, b.legs l

## super-unnest
select b.booking_id, l, n from bookings b, b.legs as l at n

## json-path
select json_extract_path_text(details, 'passenger', 'name') as who from bookings

## pivot
select * from (select port, delayed, berths from sailings) pivot (sum(berths) as b for delayed in (true as late, false as on_time))

## unpivot
select * from ports unpivot (said for what in (name, island))

## join
select s.berths, p.name from sailings s join ports p on s.port = p.port

## left-join
select p.name, t.height from ports p left join tides t on t.port = p.port

## using-join
select port, p.name from ports p full join tides t using (port)

## natural-join
select name, height from ports natural join tides

## comma-join
select p.name from ports p, sailings s where p.port = s.port(+)

## subquery
select name from ports where (port, island) in (select port, role from crew)

## exists
select name from ports p where exists (select 1 from sailings s where s.port = p.port)

## quantified
select ticket_id from tickets where fare > all (select amount from refunds)

## case
select case when paid then fare else 0 end as income from tickets

## union
select port from sailings union all select port from tides

## minus
select port from ports minus select port from sailings

## intersect
select port from ports intersect select port from sailings

## cte
with late as (select port from sailings where delayed) select p.name from ports p join late on late.port = p.port

## recursive-cte
with recursive chain (id, boss) as (select crew_id, boss_id from crew union all select c.crew_id, k.boss from crew c join chain k on c.boss_id = k.id) select id, boss from chain

## connect-by
select crew_id, level from crew start with boss_id is null connect by prior crew_id = boss_id

## distinct
select distinct port, delayed from sailings

## ordinals
select port, count(*) from sailings group by 1 order by 2 desc limit 10 offset 5

## named-window
select sum(fare) over (partition by sailing_id order by sold_at rows unbounded preceding) as so_far from tickets

## four-part-names
select t.port from lake.core.trips t join spectrum.ports2 p on p.port = t.port

## create-table
create table if not exists core.berth (berth_id int identity(0, 1) primary key, port varchar(20) encode zstd distkey sortkey, wide decimal(6, 2) default 0 not null) diststyle key compound sortkey (port, wide)

## create-table-as
create table core.late diststyle all sortkey (port) as select sailing_id, port from sailings where delayed

## create-table-like
create table core.ports_copy (like ports including defaults)

## temp-table
create temp table recent as select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from recent; drop table recent

## temp-table
create table #recent as select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from #recent

## select-into
select port, count(*) as n into temp busy from sailings group by port; insert into ports (port) select port from busy

## external-table
create external table spectrum.raw (port varchar(20), line varchar(200)) partitioned by (day date) row format delimited fields terminated by ',' stored as parquet location 's3://bucket/raw/'

## create-view
create or replace view core.income (port, income) as select s.port, sum(t.fare) from sailings s join tickets t on t.sailing_id = s.sailing_id group by s.port with no schema binding

## materialized-view
create materialized view core.highest backup no diststyle all auto refresh yes as select port, max(height) as highest from tides group by port

## insert-select
insert into tides (port, at, height) select port, getdate(), tide_offset from ports

## insert-values
insert into ports values ('SK', 'Skerry', 'North', 3), ('NH', 'North Haven', 'North', default)

## update-join
update tickets set fare = fare - r.amount from refunds r where r.ticket_id = tickets.ticket_id

## delete-join
delete from refunds using tickets t where t.ticket_id = refunds.ticket_id

## merge
merge into ports using tides t on ports.port = t.port when matched then update set tide_offset = t.height when not matched then insert (port, tide_offset) values (t.port, t.height)

## copy-in
copy ports (port, name) from 's3://bucket/ports/' iam_role 'arn:role' format as csv ignoreheader 1 gzip

## unload
unload ('select port, name from ports where island = ''North''') to 's3://bucket/out/' iam_role 'arn:role' parquet allowoverwrite

## alter-table
create table t1 as select port, name from ports; alter table t1 rename column name to title; alter table t1 add column x int default 0; alter table t1 drop column port; insert into crew (name) select title from t1

## append
alter table tickets append from tickets_new

## rename-swap
create table ports_new as select port, name from ports; drop table ports; alter table ports_new rename to ports

## drop
drop table if exists core.berth cascade; drop view core.income

## truncate
truncate table refunds

## set-schema
set search_path to core, public; select port from berths_here

## function
create function net(fare float, back float) returns float stable as $$ select $1 - nvl($2, 0) $$ language sql; select net(t.fare, r.amount) as net from tickets t join refunds r on r.ticket_id = t.ticket_id

## procedure
create or replace procedure close_day(p varchar) as $$ declare total float; begin select into total sum(berths) from sailings where port = p; if total > 5 then insert into ports (port, tide_offset) values (p, total); end if; end; $$ language plpgsql

## transaction
begin transaction; commit; vacuum full ports; analyze ports

## grant
grant select on table ports to group clerks; comment on table ports is 'where'
