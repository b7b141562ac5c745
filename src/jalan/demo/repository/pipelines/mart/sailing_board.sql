create or replace view mart.sailing_board as
select v.sailing_id,
       r.route_name,
       v.vessel_name,
       v.departs_at,
       v.gross as revenue,
       v.net as earned,
       v.tickets_sold::numeric / nullif(v.seats, 0) as load_factor
from core.sailing_revenue v
natural join (select route_id, route_name from tidy.routes) r;

comment on view mart.sailing_board is 'The last word on every sailing.';
comment on column mart.sailing_board.revenue is 'Fares paid, before refunds and commission.';
