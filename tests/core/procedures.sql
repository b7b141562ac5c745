## postgresql: a value that is assigned in a branch keeps what it was
do $$ declare v int; begin select berths into v from sailings limit 1; if (select delayed from sailings limit 1) then v := (select fare from tickets limit 1); end if; insert into refunds (amount) values (v); end $$
=: do, insert
=> refunds.amount: tickets.fare, sailings.berths, sailings.delayed/conditional

## postgresql: outside a branch it is replaced
do $$ declare v int; begin v := (select berths from sailings limit 1); v := 0; insert into refunds (amount) values (v); end $$
=: do, insert

## postgresql: a loop carries into its next round
do $$ declare r record; last text; begin for r in select port, name from ports loop insert into crew (name) values (last); last := r.name; end loop; end $$
=: do, insert
=> crew.name: ports.name

## postgresql: while and exit
do $$ declare i int := 0; begin while i < (select max(berths) from sailings) loop i := i + 1; exit when i > 5; insert into refunds (refund_id) values (i); end loop; end $$
=: do, exit, insert
=> refunds.refund_id: sailings.berths/conditional
=> refunds.(rows): sailings.berths/conditional

## postgresql: for over numbers and arrays
do $$ declare x text; begin for i in 1..10 loop insert into refunds (refund_id) values (i); end loop; foreach x in array (select array_agg(name) from ports) loop insert into crew (name) values (x); end loop; end $$
=: do, insert, insert
=> crew.name: +ports.name

## postgresql: case as a statement
do $$ declare s text; begin select port into s from sailings limit 1; case s when 'SK' then insert into crew (name) values ('a'); when 'NH' then delete from crew; else null; end case; end $$
=: do, insert, delete, null
=> crew.(rows): sailings.port/conditional

## postgresql: records and their fields
do $$ declare r sailings%rowtype; begin select * into r from sailings where delayed; update ports set tide_offset = r.berths where port = r.port; end $$
=: do, update
=> ports.tide_offset: sailings.berths, sailings.delayed/filter
=> ports.(rows): ports.port/filter, sailings.delayed/filter, sailings.port/filter

## postgresql: strict, perform, get diagnostics, raise
do $$ declare n int; begin select berths into strict n from sailings; perform port from ports where island = 'x'; get diagnostics n = row_count; raise notice 'done %', n; end $$
=: do, get, raise

## postgresql: an exception handler may run
do $$ begin insert into crew (name) select name from ports; exception when others then insert into refunds (reason) select role from crew; end $$
=: do, insert, insert
=> crew.name: ports.name
=> refunds.reason: crew.role

## postgresql: a cursor
do $$ declare c cursor for select port, height from tides where height > 3; p text; h int; begin open c; loop fetch c into p, h; exit when not found; update ports set tide_offset = h where port = p; end loop; close c; end $$
=: do, open, exit, update, close
=! unknown_column
=> ports.tide_offset: tides.height, tides.height/filter
=> ports.(rows): ports.port/filter, tides.port/filter, tides.height/filter

## postgresql: return next puts out the out columns
create function f(out port text, out n int) returns setof record language plpgsql as $$ begin for port, n in select s.port, s.berths from sailings s loop return next; end loop; end $$; select x.n from f() x
=: create_function, select
=> n: sailings.berths

## postgresql: return query twice
create function f() returns table (a text) language plpgsql as $$ begin return query select name from ports; return query select name from crew; end $$; select a from f()
=: create_function, select
=> a: ports.name, crew.name

## postgresql: a function that calls another
create function one(x int) returns int language sql as 'select x + 1'; create function two(x int) returns int language plpgsql as $$ begin return one(x) * 2; end $$; select two(fare) as t from tickets
=: create_function, create_function, select
=> t: ~tickets.fare

## postgresql: a function that reads a table
create function top(p text) returns int language sql as $$ select max(berths) from sailings where port = p $$; select name, top(port) as t from ports
=: create_function, select
=> max: +sailings.berths
=> (rows): sailings.port/filter
=> name: ports.name
=> t: +sailings.berths, sailings.port/filter, ports.port/filter

## postgresql: a function that calls itself ends
create function f(x int) returns int language plpgsql as $$ begin if x < 1 then return 0; end if; return f(x - 1) + x; end $$; select f(fare) as t from tickets
=: create_function, select
=> t: ~tickets.fare, tickets.fare/conditional

## postgresql: a trigger changes its row
create function t() returns trigger language plpgsql as $$ begin new.name := upper(new.name) || (select max(role) from crew); if new.island <> old.island then insert into refunds (reason) values (old.island); end if; return new; end $$; create trigger b before update on ports for each row execute procedure t()
=: create_function, create_trigger, update, insert
=> ports.name: ~ports.name, +crew.role
=> refunds.reason: ports.island
=> refunds.(rows): ports.island/conditional

## postgresql: a statement begin atomic
create function f(x int) returns int language sql begin atomic insert into refunds (amount) select fare from tickets; select x + 1; end
=: create_function, insert
=> refunds.amount: tickets.fare

## postgresql: execute into and using
do $$ declare n int; begin execute 'select max(berths) from sailings where port = $1' into n using 'SK'; insert into refunds (amount) values (n); end $$
=: do, insert
=> refunds.amount: +sailings.berths, sailings.port/filter

## postgresql: dynamic text in a variable
do $$ declare q text := 'insert into crew (name) '; begin q := q || 'select name from ports'; execute q; end $$
=: do, insert
=> crew.name: ports.name

## postgresql: dynamic text that is not constant
do $$ declare t text; begin select port into t from ports; execute 'delete from ' || t; execute 'delete from tides'; end $$
=: do, delete
=! dynamic_sql

## tsql: variables from a query, several at once
declare @p varchar(9), @b int; select @p = port, @b = max(berths) from sailings group by port; update ports set tide_offset = @b where port = @p
=: declare, select, update
=> ports.tide_offset: +sailings.berths, sailings.port/group_by
=> ports.(rows): ports.port/filter, sailings.port/filter, sailings.port/group_by

## tsql: if else with blocks
declare @n int = (select count(*) from sailings where delayed = 1)
if @n > 3 begin insert into crew (name) select port from sailings end
else delete from crew
=: declare, if, insert, delete
=> crew.name: sailings.port
=> crew.(rows): sailings.delayed/filter

## tsql: a table variable is seen through
declare @t table (p varchar(9)); insert into @t select port from sailings where delayed = 1; insert into crew (name) select p from @t
=: declare, create_table, insert, insert
=> crew.name: sailings.port
=> crew.(rows): sailings.delayed/filter

## tsql: while with a variable
declare @i int = 0
while @i < (select max(berths) from sailings)
begin
  set @i += 1
  insert into refunds (refund_id) values (@i)
end
=: declare, loop, insert
=> refunds.refund_id: sailings.berths/conditional
=> refunds.(rows): sailings.berths/conditional

## tsql: a multi-statement function
create function dbo.late() returns @r table (port varchar(9), n int) as begin insert into @r select port, berths from sailings where delayed = 1; return end
=: create_function, insert

## tsql: try and catch, exec with text
begin try insert into crew (name) select name from ports end try begin catch insert into refunds (reason) select role from crew end catch
declare @q nvarchar(99) = N'delete from tides where height > 3'
exec (@q)
=: block, insert, block, insert, declare, execute, delete
=> crew.name: ports.name
=> refunds.reason: crew.role
=> tides.(rows): tides.height/filter

## oracle: a cursor loop and bulk collect
declare cursor c is select port, height from tides; begin for r in c loop update ports set tide_offset = r.height where port = r.port; end loop; end;
=: block, update
=> ports.tide_offset: tides.height
=> ports.(rows): ports.port/filter, tides.port/filter

## mysql: declare, handler, loop with label
create procedure p() begin declare done int default 0; declare v int; declare c cursor for select berths from sailings; declare continue handler for not found set done = 1; open c; again: loop fetch c into v; if done then leave again; end if; insert into refunds (amount) values (v); end loop; close c; end
=: create_procedure, open, leave, insert, close
=> refunds.amount: sailings.berths

## snowflake: let, if, for over a result
create procedure p() returns varchar language sql as $$ begin let n := (select max(berths) from sailings); if (n > 5) then insert into refunds (amount) values (:n); end if; return 'x'; end $$
=: create_procedure, insert
=> refunds.amount: +sailings.berths
=> refunds.(rows): sailings.berths/conditional

## bigquery: a loop with break
declare i int64 default 0; loop set i = i + 1; if i > (select max(berths) from sailings) then leave; end if; insert into refunds (refund_id) values (i); end loop
=: declare, loop, leave, insert
=> refunds.refund_id: sailings.berths/conditional
=> refunds.(rows): sailings.berths/conditional
