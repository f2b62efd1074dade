-- name: ensure
insert into result (key, medium) values (%(key)s, %(medium)s) on conflict (key) do update set stamp = result.stamp + 1;

-- name: clear
with faces as (delete from face_track where key = %(key)s)
delete from sign_track where key = %(key)s;

-- name: stamp
select stamp from result where key = %(key)s;

-- name: faces
select number, frames, ovals, hows, sures from face_track where key = %(key)s order by number;

-- name: signs
select number, words, frames, corners, hows, sures from sign_track where key = %(key)s order by number;
