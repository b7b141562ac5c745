-- Queries and scripts over a (k, x, y, z), b (k, x, w), c (k, v, w) that extraction once got wrong.

select a.k from a left join b on b.k = a.k and b.x > 1

select count(*) as n from a where exists (select 1 from b where b.k = a.k limit 1)
