create or replace view mart.loyalty as
select p.home_island,
       p.age_group,
       count(*) as passengers,
       sum(v.spent) as spent,
       avg(v.tickets) as tickets_each,
       count(*) filter (where v.spent > (select avg(spent) from core.passenger_value)) as above_average
from tidy.passengers p
join core.passenger_value v on v.passenger_id = p.passenger_id
where exists (select 1 from core.ticket_facts f where f.passenger_id = p.passenger_id)
group by p.home_island, p.age_group;

comment on view mart.loyalty is 'Who comes back, by island and age.';
