-- name: ensure
insert into result (key, medium) values (%(key)s, %(medium)s) on conflict (key) do nothing;

-- name: keep
insert into matte (key, frame, box, confidence, reasons)
values (%(key)s, %(frame)s, %(box)s, %(confidence)s, %(reasons)s)
on conflict (key, frame) do update
set box = excluded.box, confidence = excluded.confidence, reasons = excluded.reasons;

-- name: lost
delete from matte where key = %(key)s and frame = %(frame)s;

-- name: stamp
select stamp from result where key = %(key)s;

-- name: touch
update result set stamp = stamp + 1 where key = %(key)s;

-- name: every
select frame, box, confidence, reasons from matte where key = %(key)s order by frame;
