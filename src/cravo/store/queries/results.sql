-- name: ensure
insert into result (key, medium) values (%(key)s, %(medium)s) on conflict (key) do nothing;

-- name: stamp
select stamp from result where key = %(key)s;

-- name: touch
update result set stamp = stamp + 1 where key = %(key)s;

-- name: samples
select frame, matrix, confidence, state from sample where key = %(key)s order by frame;

-- name: clear_samples
delete from sample where key = %(key)s and frame = any(%(frames)s);

-- name: mattes
select frame, box, confidence, reasons, draft from matte where key = %(key)s order by frame;

-- name: keep_matte
insert into matte (key, frame, box, confidence, reasons, draft)
values (%(key)s, %(frame)s, %(box)s, %(confidence)s, %(reasons)s, %(draft)s)
on conflict (key, frame) do update
set box = excluded.box, confidence = excluded.confidence, reasons = excluded.reasons, draft = excluded.draft
where matte.draft or not excluded.draft;

-- name: lose_matte
delete from matte where key = %(key)s and frame = %(frame)s;

-- name: clear_found
with faces as (delete from face_track where key = %(key)s)
delete from sign_track where key = %(key)s;

-- name: faces
select number, frames, ovals, hows, sures from face_track where key = %(key)s order by number;

-- name: lines
select number, words, frames, corners, hows, sures from sign_track where key = %(key)s order by number;

-- name: keep_fill
insert into fill (key, line) values (%(key)s, %(line)s)
on conflict (key) do update set made = clock_timestamp();

-- name: fills_of
select key from fill where line = %(line)s order by made desc limit 3;

-- For `cravo check`.
-- name: every
select key, medium from result;

-- name: every_matte
select key, frame, box, draft from matte;

-- name: every_fill
select fill.key, result.medium from fill join result using (key);

-- name: forget
delete from result where key = %(key)s;
