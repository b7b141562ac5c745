-- What sails: vessels, ports, the timetable and what happened on the water.
create schema ops;

create table ops.ports (
    port_id int primary key,
    name text not null,
    island text not null,
    latitude numeric(8, 5) not null,
    longitude numeric(8, 5) not null,
    opened_on date not null
);
comment on table ops.ports is 'Every harbour that a ferry may call at.';
comment on column ops.ports.island is 'The island that the port stands on.';

create table ops.berths (
    berth_id int primary key,
    port_id int not null references ops.ports,
    code text not null,
    length_m numeric(6, 1) not null,
    depth_m numeric(5, 1) not null,
    has_ramp boolean not null
);
comment on table ops.berths is 'Where a vessel can lie, and how large it may be.';

create table ops.vessels (
    vessel_id int primary key,
    name text not null,
    class text not null,
    seats int not null,
    car_deck_m int not null,
    built_on date not null,
    home_port_id int references ops.ports,
    retired_on date
);
comment on table ops.vessels is 'The fleet, with retired vessels kept.';
comment on column ops.vessels.seats is 'Seats that may be sold, without standing room.';

create table ops.routes (
    route_id text primary key,
    from_port_id int not null references ops.ports,
    to_port_id int not null references ops.ports,
    distance_nm numeric(6, 1) not null,
    planned_minutes int not null,
    season text not null
);
comment on table ops.routes is 'A crossing from one port to another.';
comment on column ops.routes.distance_nm is 'Length of the crossing in nautical miles.';

create table ops.timetable (
    slot_id int primary key,
    route_id text not null references ops.routes,
    weekday int not null,
    departs_at time not null,
    vessel_class text not null
);
comment on table ops.timetable is 'When a route is planned to be sailed.';

create table ops.sailings (
    sailing_id bigint primary key,
    route_id text not null references ops.routes,
    vessel_id int not null references ops.vessels,
    berth_id int references ops.berths,
    planned_departure timestamptz not null,
    departed_at timestamptz,
    arrived_at timestamptz,
    cancelled_at timestamptz,
    cancel_reason text,
    seats_offered int not null,
    status text not null
);
comment on table ops.sailings is 'One crossing of one vessel, planned, sailed or cancelled.';
comment on column ops.sailings.cancelled_at is 'When the crossing was called off; empty if it was not.';

create table ops.incidents (
    incident_id bigint primary key,
    sailing_id bigint not null references ops.sailings,
    kind text not null,
    severity int not null,
    minutes_lost int not null,
    reported_at timestamptz not null,
    note text
);
comment on table ops.incidents is 'What went wrong on a crossing.';

create table ops.crew (
    crew_id int primary key,
    full_name text not null,
    rank text not null,
    hired_on date not null,
    home_port_id int references ops.ports,
    day_rate numeric(8, 2) not null
);
comment on table ops.crew is 'People who work on board.';

create table ops.crew_rosters (
    roster_id bigint primary key,
    sailing_id bigint not null references ops.sailings,
    crew_id int not null references ops.crew,
    duty text not null,
    hours numeric(4, 1) not null
);
comment on table ops.crew_rosters is 'Who worked on which crossing, and how long.';

create table ops.tides (
    port_id int not null references ops.ports,
    measured_at timestamptz not null,
    height_cm int not null,
    primary key (port_id, measured_at)
);
comment on table ops.tides is 'Tide gauge readings, one every six hours.';

create table ops.weather (
    port_id int not null references ops.ports,
    observed_at timestamptz not null,
    wind_knots int not null,
    wave_height_m numeric(4, 1) not null,
    visibility_km numeric(5, 1) not null,
    primary key (port_id, observed_at)
);
comment on table ops.weather is 'Weather seen at the harbours, twice a day.';

create table ops.fuel_fills (
    fill_id bigint primary key,
    vessel_id int not null references ops.vessels,
    port_id int not null references ops.ports,
    filled_at timestamptz not null,
    litres numeric(9, 1) not null,
    price_per_litre numeric(6, 3) not null
);
comment on table ops.fuel_fills is 'Fuel taken on, by vessel and harbour.';

create view ops.sailings_today as
select s.sailing_id, s.route_id, v.name as vessel, s.planned_departure, s.status
from ops.sailings s
join ops.vessels v using (vessel_id)
where s.planned_departure::date = current_date;
comment on view ops.sailings_today is 'The board at the quay.';

create function ops.metres(height_cm int) returns numeric language sql immutable as
    $$ select height_cm / 100.0 $$;
create view ops.tide_table as
select p.name as port, t.measured_at, ops.metres(t.height_cm) as height_m
from ops.tides t
join ops.ports p using (port_id);
comment on view ops.tide_table is 'Tide heights as the pilots read them.';
