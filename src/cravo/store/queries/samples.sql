-- name: ensure
insert into result (key, medium) values (%(key)s, %(medium)s) on conflict (key) do nothing;

-- name: stamp
select stamp from result where key = %(key)s;

-- name: touch
update result set stamp = stamp + 1 where key = %(key)s;

-- name: every
select frame, matrix, confidence, state from sample where key = %(key)s order by frame;

-- name: clear
delete from sample where key = %(key)s and frame = any(%(frames)s);
