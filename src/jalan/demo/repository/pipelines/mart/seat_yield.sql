create or replace view mart.seat_yield as
select route_id,
       vessel_name,
       percentile_cont(0.5) within group (order by gross / nullif(seats, 0)) as median_yield,
       avg(net / nullif(seats, 0)) as mean_yield,
       count(*) as sailings
from core.sailing_revenue
group by grouping sets ((route_id, vessel_name), (route_id));

comment on view mart.seat_yield is 'Money a seat, by route and by route and vessel.';
