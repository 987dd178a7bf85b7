SELECT s.quay_id,
       q.name AS quay_name,
       q.district,
       s.planned_departure::date AS sailed_on,
       s.planned_departure,
       s.actual_departure,
       s.route_id,
       r.name AS route_name,
       d.name AS destination,
       s.vessel,
       (extract(epoch FROM s.actual_departure - s.planned_departure) / 60)::numeric(6,1) AS delay_minutes,
       (s.actual_departure <= s.planned_departure + interval '5 minutes') AS on_time,
       s.cancelled,
       s.cancel_cause,
       s.passengers,
       s.vehicles,
       s.fares,
       date_trunc('month', s.planned_departure)::date AS month
FROM sailings s
JOIN quays q USING (quay_id)
JOIN quays d ON d.quay_id = s.destination_id
JOIN routes r USING (route_id)
