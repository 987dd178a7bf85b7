SELECT k.quay_id,
       q.name AS quay_name,
       q.district,
       k.taken_on,
       k.takings,
       k.receipts
FROM kiosk_takings k
JOIN quays q USING (quay_id)
