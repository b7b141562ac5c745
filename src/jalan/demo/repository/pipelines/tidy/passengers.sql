create or replace view tidy.passengers as
select passenger_id,
       email_hash,
       case when birth_year is null then 'unknown'
            when birth_year > 2005 then 'young'
            when birth_year < 1960 then 'senior'
            else 'adult'
       end as age_group,
       coalesce(home_island, 'mainland') as home_island,
       joined_at::date as joined_on
from landing.passengers;

comment on view tidy.passengers is 'Passengers without anything that names them.';
