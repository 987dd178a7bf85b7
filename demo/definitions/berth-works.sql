SELECT w.work_id,
       w.quay_id,
       q.name AS quay_name,
       q.district,
       w.berth,
       w.kind,
       w.starts_on,
       w.ends_on,
       w.ends_on - w.starts_on + 1 AS days,
       w.cost
FROM berth_works w
JOIN quays q USING (quay_id)
