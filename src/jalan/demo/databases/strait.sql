-- The warehouse. :host, :port and :password are filled in by the demo.
create schema remote;
create schema landing;
create schema tidy;
create schema core;
create schema mart;
comment on schema remote is 'Foreign tables: the source systems, seen from the warehouse.';
comment on schema landing is 'Copies of source tables, as they are.';
comment on schema tidy is 'One clean row a thing.';
comment on schema core is 'Facts that reports are built on.';
comment on schema mart is 'What reports read.';

create extension postgres_fdw;
create server harbour foreign data wrapper postgres_fdw
    options (host '{host}', port '{port}', dbname 'harbour', fetch_size '10000');
create server ticketing foreign data wrapper postgres_fdw
    options (host '{host}', port '{port}', dbname 'ticketing', fetch_size '10000');
create user mapping for current_user server harbour options (user 'jalan', password '{password}');
create user mapping for current_user server ticketing options (user 'jalan', password '{password}');
import foreign schema ops limit to (ports, vessels, routes, sailings, incidents, crew, crew_rosters)
    from server harbour into remote;
import foreign schema public limit to (passengers, channels, bookings, tickets, refunds, payments)
    from server ticketing into remote;
