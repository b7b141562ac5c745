## quoted-names
select [Port], "port" as [where it is] from [dbo].[quoted]
=: select
=> Port: quoted.port
=> where it is: quoted.port

## strings
select N'it''s ' + name as a, 'x' as b from ports
=: select
=> a: ~ports.name

## parameters
select name from ports where port = @port and tide_offset > ?
=: select
=> name: ports.name
=> (rows): ports.port/filter, ports.tide_offset/filter

## equals-alias
select who = passenger, income = fare * 2 from tickets
=: select
=> who: tickets.passenger
=> income: ~tickets.fare

## string-alias
select fare 'the fare', paid as 'was paid' from tickets
=: select
=> the fare: tickets.fare
=> was paid: tickets.paid

## top
select top (5) with ties port from ports order by tide_offset desc
=: select
=> port: ports.port
=> (rows): ports.tide_offset/sort

## top
select top 10 percent fare from tickets
=: select
=> fare: tickets.fare

## offset
select name from ports order by tide_offset offset 5 rows fetch next 10 rows only option (recompile)
=: select
=> name: ports.name
=> (rows): ports.tide_offset/sort

## hints
select p.name from ports p with (nolock) inner hash join tides t with (index (by_port), nolock) on t.port = p.port
=: select
=> name: ports.name
=> (rows): tides.port/join, ports.port/join

## apply
select p.name, x.h from ports p cross apply (select max(height) as h from tides t where t.port = p.port) x
=: select
=> name: ports.name
=> h: +tides.height
=> (rows): tides.port/filter, ports.port/filter

## apply
select p.name, v.value from ports p outer apply string_split(p.island, ',') v
=: select
=> name: ports.name
=> value: ~ports.island
=> (rows): ports.island/join

## open-json
select b.booking_id, j.[key], j.value from bookings b cross apply openjson(b.details, '$.legs') j
=: select
=> booking_id: bookings.booking_id
=> key: ~bookings.details
=> value: ~bookings.details
=> (rows): bookings.details/join

## open-json
select b.booking_id, j.port, j.at from bookings b cross apply openjson(b.details, '$.legs') with (port nvarchar(20) '$.port', at datetime2 '$.time.at', rest nvarchar(max) '$' as json) j
=: select
=> booking_id: bookings.booking_id
=> port: ~bookings.details{legs.port}
=> at: ~bookings.details{legs.time.at}
=> (rows): bookings.details/join

## json-path
select json_value(details, '$.passenger.name') as who, json_query(details, '$.legs') as legs, isjson(details) as ok from bookings
=: select
=> who: ~bookings.details{passenger.name}
=> legs: ~bookings.details{legs}
=> ok: ~bookings.details

## xml-path
select (select name from crew c where c.port = p.port for xml path('')) as names from ports p
=: select
=> names: crew.name, crew.port/filter, ports.port/filter

## for-json
select port, name from ports for json auto
=: select
=> port: ports.port
=> name: ports.name

## conditional-function
select iif(paid = 1, fare, 0) as income, isnull(passenger, 'none') as who, choose(1, fare, paid) as c, nullif(fare, 0) as f from tickets
=: select
=> income: ~tickets.fare, tickets.paid/conditional
=> who: ~tickets.passenger
=> c: ~tickets.fare, ~tickets.paid
=> f: ~tickets.fare

## cast
select cast(fare as decimal(10, 2)) as fare, convert(varchar(10), sold_at, 112) as d, try_cast(passenger as int) as n, try_convert(date, passenger) as e from tickets
=: select
=> fare: ~tickets.fare
=> d: ~tickets.sold_at
=> n: ~tickets.passenger
=> e: ~tickets.passenger

## date-functions
select dateadd(day, 1, sold_at) as a, datediff(hour, sold_at, getdate()) as b, datepart(weekday, sold_at) as c, datename(month, sold_at) as d, sold_at at time zone 'UTC' as e from tickets
=: select
=> a: ~tickets.sold_at
=> b: ~tickets.sold_at
=> c: ~tickets.sold_at
=> d: ~tickets.sold_at
=> e: ~tickets.sold_at

## aggregates
select string_agg(name, ', ') within group (order by tide_offset) as names, count_big(*) as n, stdev(tide_offset) as s from ports
=: select
=> names: +ports.name, ports.tide_offset/sort
=> s: +ports.tide_offset

## rollup
select port, sum(berths) as b from sailings group by rollup (port, vessel_id)
=: select
=> port: sailings.port
=> b: +sailings.berths
=> (rows): sailings.port/group_by, sailings.vessel_id/group_by

## grouping-sets
select port, grouping(port) as g, sum(berths) as b from sailings group by grouping sets ((port), ())
=: select
=> port: sailings.port
=> b: +sailings.berths
=> (rows): sailings.port/group_by

## window
select fare, sum(fare) over (partition by sailing_id order by sold_at rows between 2 preceding and current row) as s, percentile_cont(0.5) within group (order by fare) over (partition by paid) as m from tickets
=: select
=> fare: tickets.fare
=> s: +tickets.fare, tickets.sailing_id/window, tickets.sold_at/window
=> m: +tickets.fare, tickets.paid/window

## pivot
select port, [0] as on_time, [1] as late from (select port, delayed, berths from sailings) as s pivot (sum(berths) for delayed in ([0], [1])) as p
=: select
=> port: sailings.port
=> on_time: +sailings.berths, sailings.delayed/conditional
=> late: +sailings.berths, sailings.delayed/conditional
=> (rows): sailings.port/group_by

## unpivot
select port, what, said from ports unpivot (said for what in (name, island)) as u
=: select
=> port: ports.port
=> said: ports.name, ports.island
=> (rows): ports.name/filter, ports.island/filter

## values
select v.a, v.b from (values (1, 'x'), (2, 'y')) as v (a, b)
=: select

## join
select s.berths, p.name from sailings as s full outer join ports as p on s.port = p.port
=: select
=> berths: sailings.berths
=> name: ports.name
=> (rows): sailings.port/join, ports.port/join

## cross-join
select p.name, s.berths from ports p cross join sailings s
=: select
=> name: ports.name
=> berths: sailings.berths

## comma-join
select p.name from ports p, sailings s where p.port = s.port
=: select
=> name: ports.name
=> (rows): ports.port/filter, sailings.port/filter

## subquery
select name from ports where tide_offset > any (select height from tides) and port in (select port from sailings)
=: select
=> name: ports.name
=> (rows): ports.tide_offset/filter, tides.height/filter, ports.port/filter, sailings.port/filter

## exists
select name from ports p where exists (select * from sailings s where s.port = p.port)
=: select
=> name: ports.name
=> (rows): sailings.port/filter, ports.port/filter

## union
select port from sailings union select port from tides order by port
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
with late as (select port from sailings where delayed = 1), n as (select port, count(*) as n from late group by port) select p.name, n.n from ports p join n on n.port = p.port
=: select
=> name: ports.name
=> (rows): sailings.delayed/filter, sailings.port/group_by, sailings.port/join, ports.port/join

## recursive-cte
with chain as (select crew_id, boss_id, 0 as depth from crew where boss_id is null union all select c.crew_id, c.boss_id, k.depth + 1 from crew c join chain k on c.boss_id = k.crew_id) select crew_id, depth from chain option (maxrecursion 50)
=: select
=> crew_id: crew.crew_id
=> (rows): crew.boss_id/filter, crew.boss_id/join, crew.crew_id/join

## sample
select fare from tickets tablesample (10 percent)
=: select
=> fare: tickets.fare

## time-travel
select name from ports for system_time as of '2026-01-01' as p where p.port = 'SK'
=: select
=> name: ports.name
=> (rows): ports.port/filter

## four-part-names
select t.port from far.lake.dbo.trips t join lake..ports2 p on p.port = t.port
=: select
=> port: far.lake.dbo.trips.port
=> (rows): lake.dbo.ports2.port/join, far.lake.dbo.trips.port/join

## create-table
create table dbo.berth (berth_id int identity(1, 1) not null primary key clustered, port nvarchar(20) null constraint fk references ports (port), wide as (berth_id * 2) persisted, index by_port nonclustered (port)) on [primary] with (data_compression = page)
=: create_table

## temp-table
create table #recent (port varchar(20), n int)
insert into #recent select port, count(*) from sailings group by port
update p set tide_offset = r.n from ports p join #recent r on r.port = p.port
drop table #recent
=: create_table_as, update, drop_table
=> ports.(rows): sailings.port/join, ports.port/join, sailings.port/group_by

## select-into
select port, berths into #busy from sailings where delayed = 1; insert into ports (port, tide_offset) select port, berths from #busy
=: create_table_as, insert
=> ports.port: sailings.port
=> ports.tide_offset: sailings.berths
=> ports.(rows): sailings.delayed/filter

## table-variable
declare @late table (port varchar(20), n int); insert into @late (port, n) select port, count(*) from sailings group by port; insert into ports (port, tide_offset) select port, n from @late
=: declare, create_table, insert, insert
=> ports.port: sailings.port
=> ports.(rows): sailings.port/group_by

## variables
declare @top decimal(10, 2) = (select max(fare) from tickets), @n int; set @n = 3; select @n = count(*) from sailings where delayed = 1; insert into ports (tide_offset, name) values (@top, @n)
=: declare, set, select, insert
=> ports.tide_offset: +tickets.fare
=> ports.name: sailings.delayed/filter

## create-view
create or alter view dbo.income (port, income) with schemabinding as select s.port, sum(t.fare) from dbo.sailings s join dbo.tickets t on t.sailing_id = s.sailing_id group by s.port
=: create_view
=> dbo.income.port: sailings.port
=> dbo.income.income: +tickets.fare
=> dbo.income.(rows): tickets.sailing_id/join, sailings.sailing_id/join, sailings.port/group_by

## alter-view
alter view dbo.income as select port from sailings
=: alter_view
=> dbo.income.port: sailings.port

## insert-select
insert into tides (port, height) select port, tide_offset from ports
=: insert
=> tides.port: ports.port
=> tides.height: ports.tide_offset

## insert-bare
insert tides (port) values ('SK'); insert top (5) into tides (port) select port from ports
=: insert, insert
=> tides.port: ports.port

## insert-execute
insert into ports (port) exec dbo.list_ports
=: insert_execute
=! not_followed

## output
insert into refunds (ticket_id, amount) output inserted.ticket_id, inserted.amount into crew (crew_id, boss_id) select ticket_id, fare from tickets
=: insert, insert
=> refunds.ticket_id: tickets.ticket_id
=> refunds.amount: tickets.fare
=> crew.crew_id: refunds.ticket_id
=> crew.boss_id: refunds.amount

## output
delete from tickets output deleted.fare into refunds (amount) where paid = 0
=: delete, insert
=> tickets.(rows): tickets.paid/filter
=> refunds.amount: tickets.fare
=> refunds.(rows): tickets.paid/filter

## update-join
update t set t.fare = t.fare - r.amount, paid += 1 from tickets t inner join refunds r on r.ticket_id = t.ticket_id where r.at > t.sold_at
=: update
=> tickets.fare: ~tickets.fare, ~refunds.amount
=> tickets.paid: ~tickets.paid
=> tickets.(rows): refunds.ticket_id/join, tickets.ticket_id/join, refunds.at/filter, tickets.sold_at/filter

## update
update top (10) tickets set fare *= 2 output inserted.fare where paid = 1
=: update
=> tickets.fare: ~tickets.fare
=> tickets.(rows): tickets.paid/filter

## delete-join
delete r from refunds r join tickets t on t.ticket_id = r.ticket_id where t.paid = 1
=: delete
=> refunds.(rows): tickets.ticket_id/join, refunds.ticket_id/join, tickets.paid/filter

## delete
delete refunds where amount = 0
=: delete
=> refunds.(rows): refunds.amount/filter

## merge
merge into ports as t using (select port, max(height) as h from tides group by port) as s on t.port = s.port when matched and s.h > 4 then update set t.tide_offset = s.h when not matched by target then insert (port, tide_offset) values (s.port, s.h) when not matched by source then delete output $action, inserted.port, deleted.name;
=: merge
=> ports.tide_offset: +tides.height
=> ports.port: tides.port
=> ports.(rows): tides.port/group_by, ports.port/join, tides.port/join, tides.height/filter

## bulk-insert
bulk insert ports from '/data/ports.csv' with (fieldterminator = ',', firstrow = 2)
=: bulk
=> ports.port: /data/ports.csv.port
=> ports.name: /data/ports.csv.name
=> ports.island: /data/ports.csv.island
=> ports.tide_offset: /data/ports.csv.tide_offset

## openrowset
select r.port from openrowset(bulk '/data/ports.csv', format = 'CSV') as r
=: select
=> port: /data/ports.csv.port

## alter-table
create table t1 (port varchar(20), name varchar(50)); insert into t1 select port, name from ports; alter table t1 add x int, y int; alter table t1 drop column y; exec sp_rename 't1.name', 'title', 'COLUMN'; insert into crew (name) select title from t1
=: create_table, insert, alter_table, alter_table, alter_table, insert
=> t1.port: ports.port
=> t1.title: ports.name
=> crew.name: t1.title

## rename-swap
select port, name into dbo.ports_new from ports; drop table dbo.ports; exec sp_rename 'dbo.ports_new', 'ports'
=: create_table_as, drop_table, rename_table
=> dbo.ports.port: ports.port
=> dbo.ports.name: ports.name

## partition-switch
alter table tickets_new switch partition 1 to tickets partition 1
=: alter_table
=> tickets.ticket_id: tickets_new.ticket_id
=> tickets.sailing_id: tickets_new.sailing_id
=> tickets.fare: tickets_new.fare
=> tickets.sold_at: tickets_new.sold_at
=> tickets.passenger: tickets_new.passenger
=> tickets.paid: tickets_new.paid

## use
use lake
go
select port from berths_here
go
=: use, select
=> port: lake.dbo.berths_here.port

## drop
drop table if exists dbo.berth, dbo.late; drop view dbo.income
=: drop_table, drop_view

## truncate
truncate table refunds with (partitions (1))
=: truncate

## function
create function dbo.net(@fare decimal(10, 2), @back decimal(10, 2)) returns decimal(10, 2) as begin declare @r decimal(10, 2); set @r = @fare - @back; return @r; end
go
select dbo.net(t.fare, r.amount) as net from tickets t join refunds r on r.ticket_id = t.ticket_id
=: create_function, select
=> net: ~tickets.fare, ~refunds.amount
=> (rows): refunds.ticket_id/join, tickets.ticket_id/join

## function
create function dbo.late_at(@port varchar(20)) returns table as return (select sailing_id, berths from sailings where port = @port and delayed = 1)
go
select l.berths from ports p cross apply dbo.late_at(p.port) l
=: create_function, select
=> sailing_id: sailings.sailing_id
=> berths: sailings.berths
=> (rows): sailings.port/filter, sailings.delayed/filter, ports.port/filter

## procedure
create procedure dbo.close_day @port varchar(20), @n int = 0 output as
begin
  set nocount on;
  declare @total int;
  select @total = sum(berths) from sailings where port = @port;
  if @total > 5
    insert into ports (port, tide_offset) values (@port, @total)
  else
  begin
    delete from ports where port = @port;
    print 'gone';
  end
  begin try
    update tickets set fare = @total where paid = 0;
  end try
  begin catch
    throw;
  end catch
end
=: create_procedure, set, insert, delete, print, update, throw
=> ports.tide_offset: +sailings.berths, sailings.port/filter
=> ports.(rows): sailings.berths/conditional, sailings.port/filter, ports.port/filter
=> tickets.fare: +sailings.berths, sailings.port/filter
=> tickets.(rows): tickets.paid/filter

## loop
declare @p varchar(20), @h decimal(5, 2)
declare c cursor for select port, height from tides where height > 4
open c
fetch next from c into @p, @h
while @@fetch_status = 0
begin
  update ports set tide_offset = @h where port = @p
  fetch next from c into @p, @h
end
close c
deallocate c
=: declare, declare, open, fetch, loop, update, close, deallocate
=> ports.tide_offset: tides.height, tides.height/filter
=> ports.(rows): ports.port/filter, tides.port/filter, tides.height/filter

## dynamic-sql
declare @sql nvarchar(max) = N'insert into ports (port) select port '; set @sql = @sql + N'from sailings'; exec sp_executesql @sql; exec ('delete from tides where height = 0')
=: declare, set, execute, insert, execute, delete
=> ports.port: sailings.port
=> tides.(rows): tides.height/filter

## trigger
create trigger dbo.noted on refunds after insert as begin insert into crew (name) select i.reason from inserted i join tickets t on t.ticket_id = i.ticket_id end
=: create_trigger, insert
=> crew.name: refunds.reason
=> crew.(rows): tickets.ticket_id/join, refunds.ticket_id/join

## transaction
begin tran; commit transaction; rollback
=: begin, commit, rollback

## grant
grant select on ports to clerk; deny delete on ports to clerk; exec dbo.list_ports @a = 1
=: grant, deny, call
=! not_followed

## change-through-cte
with c as (select ticket_id, row_number() over (partition by sailing_id order by sold_at) as rn from tickets) delete from c where rn > 1
=: delete
=> tickets.(rows): tickets.sailing_id/window, tickets.sold_at/window

## change-through-cte
with c as (select fare, paid from tickets where paid = 1) update c set fare = fare * 2 where fare > 3
=: update
=> tickets.fare: ~tickets.fare
=> tickets.(rows): tickets.paid/filter, tickets.fare/filter

## tight-spelling
select * from ports where port=@Port and name<@x and tide_offset%@n > 1 and island!=@p
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> (rows): ports.port/filter, ports.name/filter, ports.tide_offset/filter, ports.island/filter

## tight-spelling
update ports set tide_offset+=@n, name=@m where port>=@p
=: update
=> ports.tide_offset: ~ports.tide_offset
=> ports.(rows): ports.port/filter

## method-call
select details.value('(/a)[1]','int') as a, b.details.query('/x') as q, details.exist('/y') as e, n.c.value('@z','int') as z from bookings b cross apply details.nodes('/a/b') as n(c)
=: select
=> a: ~bookings.details
=> q: ~bookings.details
=> e: ~bookings.details
=> z: ~bookings.details
=> (rows): bookings.details/join

## temporary-self-update
select port, name into #f from ports; update #f set port=name; insert into sailings (port) select port from #f
=: create_table_as, update, insert
=> sailings.port: ports.name

## temporary-self-update
select port, name into #f from ports; update f set f.port=f.name from #f f where f.name <> 'x'; insert into sailings (port) select port from #f
=: create_table_as, update, insert
=> sailings.port: ports.port, ports.name
=> sailings.(rows): ports.name/filter

## update-target
update x set x.name = s.role from ports x join crew s on s.port = x.port
=: update
=> ports.name: crew.role
=> ports.(rows): crew.port/join, ports.port/join

## update-target
update x set x.n = x.r from (select p.name as n, c.role as r from ports p join crew c on c.port = p.port) x
=: update
=> ports.name: crew.role
=> ports.(rows): crew.port/join, ports.port/join

## update-target
with x as (select name as n, island as i from ports) update x set n = i
=: update
=> ports.name: ports.island

## update-target
with x as (select *, row_number() over (partition by port order by name) as rn from ports) delete from x where rn > 1
=: delete
=> ports.(rows): ports.port/window, ports.name/window

## sequences
insert into ports (port, tide_offset) select name, next value for dbo.s over (order by name) from crew
=: insert
=> ports.port: crew.name

## procedure
create procedure dbo.p @a int as begin set nocount on; declare @t table (port varchar(10)); insert into @t select port from tides where height > @a; insert into ports (port) select port from @t; exec dbo.log 'x'; end
=: create_procedure, set, create_table, insert, insert
=! not_followed
=> ports.port: tides.port
=> ports.(rows): tides.height/filter

## hints
select p.port from dbo.ports p (nolock) join tides t (readpast) on p.port = t.port
=: select
=> port: ports.port
=> (rows): ports.port/join, tides.port/join

## select-into
select k = identity(int, 1, 1), port into #t from ports; insert into tides (port, height) select port, k from #t
=: create_table_as, insert
=> tides.port: ports.port

## openrowset
select a, b from openrowset(bulk 'f.csv', format='csv') with (a int, b varchar(10) 2) as r
=: select
=> a: f.csv.a
=> b: f.csv.b

## xml-path
select p.port, stuff((select ',' + t.at from tides t where t.port = p.port for xml path(''), type).value('.', 'nvarchar(max)'), 1, 1, '') as l from ports p
=: select
=> port: ports.port
=> l: ~tides.at, tides.port/filter, ports.port/filter

## composed-changes
insert into tides (port, height) select port, n from (delete from ports output deleted.port, deleted.tide_offset as n where port = 'x') d
=: delete, insert
=> ports.(rows): ports.port/filter
=> tides.port: ports.port
=> tides.height: ports.tide_offset
=> tides.(rows): ports.port/filter

## composed-changes
insert into tides (port, height) select d.a, d.b from (merge ports p using crew c on c.port = p.port when matched then update set name = c.name output $action as act, inserted.port as a, deleted.tide_offset as b) d where d.act = 'UPDATE'
=: merge, insert
=> ports.name: crew.name
=> ports.(rows): crew.port/join, ports.port/join
=> tides.port: ports.port
=> tides.height: ports.tide_offset
=> tides.(rows): crew.port/join, ports.port/join

## copy-in
copy into ports (port 1, name 3) from 'https://x/y.csv' with (file_type = 'csv')
=: copy
=> ports.port: https://x/y.csv.port
=> ports.name: https://x/y.csv.name

## full-text
select p.port, k.rank from ports p join containstable(ports, name, 'x') k on k.[key] = p.port where contains(p.name, 'y') and freetext(*, 'z')
=: select
=> port: ports.port
=> rank: ~ports.name
=> (rows): ports.name/filter, ports.name/join, ports.port/join, ports.port/filter, ports.island/filter, ports.tide_offset/filter

## change-through-cte
with cte as (select port, at, height, row_number() over (partition by port order by at desc) as rn from dbo.tides) delete from cte where rn > 1; with x (p, m) as (select port, max(height) from tides group by port) update p set tide_offset = x.m from ports p join x on x.p = p.port option (maxdop 1)
=: delete, update
=> tides.(rows): tides.port/window, tides.at/window
=> ports.tide_offset: +tides.height
=> ports.(rows): tides.port/group_by, tides.port/join, ports.port/join

## merge
merge dbo.ports with (holdlock) as t using (values ('a', 'b'), ('c', 'd')) as s (port, name) on t.port = s.port when matched and t.name <> s.name then update set t.name = s.name when not matched by target then insert (port, name) values (s.port, s.name) when not matched by source and t.island = 'x' then delete output $action, inserted.port, deleted.name into dbo.audit (act, port, old);
=: merge, insert
=> ports.(rows): ports.port/join, ports.name/filter, ports.island/filter
=> dbo.audit.port: ports.port
=> dbo.audit.old: ports.name
=> dbo.audit.(rows): ports.port/join, ports.name/filter, ports.island/filter

## conditional-function
select top (10) percent with ties port, name = upper(name), 'x' as lit, [tide_offset] / 2.0 half, case when island is null then 'n' else island end as isl, iif(tide_offset > 1, name, island) i2, convert(varchar(10), tide_offset, 112) c, try_cast(name as int) tc, cast(tide_offset as decimal(10, 2)) d, isnull(name, island) nn, name + '-' + island as cat, len(name) l, datediff(day, getdate(), sysdatetime()) dd, dateadd(mm, -1, getdate()) da, format(tide_offset, 'N2') f, string_agg(name, ',') within group (order by port) over () sa from dbo.ports p order by tide_offset desc
=: select
=> port: ports.port
=> name: ~ports.name
=> half: ~ports.tide_offset
=> isl: ~ports.island, ports.island/conditional
=> i2: ~ports.name, ~ports.island, ports.tide_offset/conditional
=> c: ~ports.tide_offset
=> tc: ~ports.name
=> d: ~ports.tide_offset
=> nn: ~ports.name, ~ports.island
=> cat: ~ports.name, ~ports.island
=> l: ~ports.name
=> f: ~ports.tide_offset
=> sa: +ports.name, ports.port/sort
=> (rows): ports.tide_offset/sort

## apply
select p.port, x.at, y.[value], z.* from ports p cross apply (select top 1 t.at from tides t where t.port = p.port order by t.at desc) x outer apply string_split(p.name, ',') y cross apply dbo.fn_z(p.island) z cross apply openjson(p.name) with (id int '$.id', nm nvarchar(50) '$.n.m', js nvarchar(max) '$.j' as json) j
=: select
=! star_of_unknown_table
=> port: ports.port
=> at: tides.at
=> value: ~ports.name
=> z: ~ports.island
=> (rows): tides.port/filter, ports.port/filter, tides.at/sort, ports.name/join, ports.island/join

## table-variable
declare @t table (id int identity primary key, port varchar(10), h decimal(5,2)); insert into @t (port, h) output inserted.id, inserted.port into dbo.log (id, port) select port, height from tides; declare @x int, @y varchar(10); select @x = max(id), @y = min(port) from @t; if @x > 3 begin insert into ports (port, tide_offset) values (@y, @x) end else if @x = 2 delete ports else print 'none'; while @x > 0 begin set @x -= 1; if @x = 5 break; continue; end
=: declare, create_table, insert, insert, declare, select, if, insert, delete, print, loop, break, continue
=> dbo.log.port: tides.port
=> ports.port: +tides.port

## function
create view dbo.v with schemabinding as select p.port, count_big(*) as n from dbo.ports p group by p.port with check option; go
create function dbo.f (@a int) returns table as return (select port from dbo.ports where tide_offset > @a); go
create function dbo.g (@a varchar(10)) returns varchar(20) as begin declare @r varchar(20); select @r = name from ports where port = @a; return @r + 'x'; end; go
select dbo.g(t.port) as n, f.port from tides t cross apply dbo.f(t.height) f
=: create_view, create_function, create_function, select
=> dbo.v.port: ports.port
=> dbo.v.(rows): ports.port/group_by
=> port: ports.port
=> (rows): ports.tide_offset/filter, tides.height/filter
=> (unnamed): ~ports.name, ports.port/filter
=> n: ~ports.name, ports.port/filter, tides.port/filter

## dynamic-sql
exec sp_executesql N'insert into dbo.x (a) select port from dbo.ports where name = @p', N'@p varchar(10)', @p = 'x'; declare @sql nvarchar(max); set @sql = N'select port into dbo.y from dbo.ports'; set @sql = @sql + N' where 1 = 1'; exec (@sql); exec dbo.load_sales @day = '2020-01-01', @n = @n output; insert into dbo.z exec dbo.p2; exec sp_rename 'dbo.a', 'b'
=: execute, insert, declare, set, set, execute, create_table_as, call, insert_execute, rename_table
=! not_followed
=> dbo.x.a: ports.port
=> dbo.x.(rows): ports.name/filter
=> dbo.y.port: ports.port

## pivot
select * from (select port, year(at) as y, height from tides) s pivot (max(height) for y in ([2020], [2021])) p; select port, k, v from ports unpivot (v for k in (name, island)) u
=: select, select
=> port: tides.port, ports.port
=> 2020: +tides.height, tides.at/conditional
=> 2021: +tides.height, tides.at/conditional
=> (rows): tides.port/group_by, ports.name/filter, ports.island/filter
=> v: ports.name, ports.island

## window
select port, sum(height) over (partition by port order by at rows between 1 preceding and current row) rs, lag(height, 1, 0) over (order by at) lg, percentile_cont(0.5) within group (order by height) over (partition by port) pc, first_value(height) ignore nulls over (order by at) fv from tides order by at offset 10 rows fetch next 5 rows only option (recompile)
=: select
=> port: tides.port
=> rs: +tides.height, tides.port/window, tides.at/window
=> lg: ~tides.height, tides.at/window
=> pc: +tides.height, tides.port/window
=> fv: ~tides.height, tides.at/window
=> (rows): tides.at/sort

## full-text
select * from ports for system_time as of '2020-01-01' where name like '[a-c]%' escape '\' and name collate latin1_general_ci_as = 'x' and exists (select port from tides except select port from crew) and tide_offset > all (select height from tides) and port in ('a') and contains((name, island), '"x*"')
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> (rows): ports.name/filter, crew.port/filter, tides.port/group_by, ports.tide_offset/filter, tides.height/filter, ports.port/filter, ports.island/filter

## trigger
create trigger dbo.tr on dbo.tickets after insert, update as begin set nocount on; if update(fare) insert into dbo.audit (id, old, new) select i.ticket_id, d.fare, i.fare from inserted i left join deleted d on d.ticket_id = i.ticket_id; update t set t.paid = 1 from dbo.tickets t join inserted i on i.ticket_id = t.ticket_id where i.fare = 0; end
=: create_trigger, set, insert, update
=> dbo.audit.id: tickets.ticket_id
=> dbo.audit.old: tickets.fare
=> dbo.audit.new: tickets.fare
=> dbo.audit.(rows): tickets.ticket_id/join
=> tickets.(rows): tickets.ticket_id/join, tickets.fare/filter

## for-json
select p.port, (select t.at as [@at], t.height as [h/text()] from tides t where t.port = p.port for xml path('t'), root('r'), type) as x, (select name from crew c for json auto, include_null_values) as j from ports p for xml auto, elements
=: select
=> port: ports.port
=> x: tides.at, tides.height, tides.port/filter, ports.port/filter
=> j: crew.name

## output
delete top (100) from dbo.tides output deleted.* into dbo.old where at < '2020'; update top (5) dbo.ports set name += 'x', tide_offset = tide_offset * 2 output inserted.port, deleted.tide_offset; delete t from tides as t inner join ports p on p.port = t.port where p.name = 'x'; update dbo.ports set name = (select max(c.name) from crew c where c.port = dbo.ports.port) where port in (select port from tides); update p set p.name = v.n from ports p, (select port, max(name) n from crew group by port) v where v.port = p.port
=: delete, insert, update, delete, update, update
=> tides.(rows): tides.at/filter, ports.port/join, tides.port/join, ports.name/filter
=> dbo.old.port: tides.port
=> dbo.old.at: tides.at
=> dbo.old.height: tides.height
=> dbo.old.(rows): tides.at/filter
=> ports.name: ~ports.name, +crew.name, crew.port/filter, ports.port/filter
=> ports.tide_offset: ~ports.tide_offset
=> ports.(rows): ports.port/filter, tides.port/filter, crew.port/group_by, crew.port/filter

## insert-values
insert into dbo.t (a, b) values (1, default), ((select max(port) from ports), next value for dbo.s); insert dbo.t default values; insert top (3) into dbo.t select port, name from ports; insert into dbo.t with (tablock) (a) select port from ports
=: insert, insert, insert, insert
=! unknown_insert_columns
=> dbo.t.a: +ports.port, ports.port
=> dbo.t.port: ports.port
=> dbo.t.name: ports.name

## table-variable
declare @t table (id int identity, port varchar(10)); insert into @t (port) output inserted.port into dbo.log (port) select port from tides; declare @y varchar(10); select @y = min(port) from @t; insert into ports (port) values (@y)
=: declare, create_table, insert, insert, declare, select, insert
=> dbo.log.port: tides.port
=> ports.port: +tides.port

## temporary-self-update
declare @f table (a varchar(9), b varchar(9)); insert into @f select port, name from ports; update @f set a = b, b = a; insert into sailings (port) select a from @f
=: declare, create_table, insert, update, insert
=> sailings.port: ports.name

## tight-spelling
select fare-@x as a,fare%@y as b,x=fare,@z+fare as c from tickets where fare>=@x and paid<>@q
=: select
=> a: ~tickets.fare
=> b: ~tickets.fare
=> x: tickets.fare
=> c: ~tickets.fare
=> (rows): tickets.fare/filter, tickets.paid/filter

## method-call
select x.q.value('@id', 'int') as id, x.q.query('.') as node from bookings cross apply legs.nodes('/leg') as x(q) where details.exist('/a') = 1
=: select
=> id: ~bookings.legs
=> node: ~bookings.legs
=> (rows): bookings.legs/join, bookings.details/filter

## update-target
update v set island = r from (select p.island, c.role as r from ports p join crew c on c.port = p.port) as v
=: update
=> ports.island: crew.role
=> ports.(rows): crew.port/join, ports.port/join

## records
declare @a varchar(9), @b int; declare c cursor local fast_forward for select port, height from dbo.tides; open c; fetch next from c into @a, @b; while @@fetch_status = 0 begin insert into sailings (port, berths) values (@a, @b); fetch next from c into @a, @b; end; close c; deallocate c
=: declare, declare, open, fetch, loop, insert, close, deallocate
=> sailings.port: tides.port
=> sailings.berths: tides.height

## order-under-limit
select top 3 * from (select top 10 port from ports order by tide_offset) t
=: select
=> port: ports.port
=> (rows): ports.tide_offset/sort

## unit-words
select dateadd(month, 1, sold_at) as a, datediff(day, sold_at, at) as b, datepart(dw, sold_at) as c, datetrunc(week, sold_at) as d, eomonth(sold_at) as e from tickets, refunds
=: select
=> a: ~tickets.sold_at
=> b: ~tickets.sold_at, ~refunds.at
=> c: ~tickets.sold_at
=> d: ~tickets.sold_at
=> e: ~tickets.sold_at

## dynamic-sql
declare @t sysname = N'ports'; declare @q nvarchar(max) = N'insert into ' + quotename(@t) + N' (port) select port from tides'; exec sp_executesql @q
=: declare, declare, execute, insert
=> ports.port: tides.port

## temp-table
select port into #f from ports where island = 'x'; insert into crew (port) select f.port from #f f join tides t on t.port = f.port
=: create_table_as, insert
=> crew.port: ports.port
=> crew.(rows): tides.port/join, ports.port/join, ports.island/filter

## copy-with-defaults-of-columns
copy into refunds (refund_id default 0 1, amount 3) from 'https://quay.example/x.csv'
=: copy
=> refunds.refund_id: https://quay.example/x.csv.refund_id
=> refunds.amount: https://quay.example/x.csv.amount

## view-with-schemabinding
create view dbo.v (a) with schemabinding, encryption as select name from dbo.ports
=: create_view
=> dbo.v.a: ports.name

## rename-into-the-same-schema
create table made.old (a varchar(9)); exec sp_rename 'made.old', 'new'; insert into made.new select name from ports
=: create_table, rename_table, insert
=> made.new.a: ports.name
