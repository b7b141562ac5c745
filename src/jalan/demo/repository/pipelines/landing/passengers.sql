-- Names and addresses stay where they are; the warehouse gets a hash.
drop table if exists landing.passengers cascade;

create table landing.passengers as
select passenger_id,
       md5(lower(email)) as email_hash,
       extract(year from born_on)::int as birth_year,
       home_island,
       joined_at,
       marketing_ok
from remote.passengers;
