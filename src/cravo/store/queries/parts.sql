-- name: add
insert into part (work, number, first, last, about)
values (%(work)s, %(number)s, %(first)s, %(last)s, %(about)s)
on conflict (work, number) do update
set first = excluded.first, last = excluded.last, about = excluded.about, state = 'waiting', claim = null, done = 0, file = null
where (part.first, part.last, part.about) <> (excluded.first, excluded.last, excluded.about);

-- name: drop_from
delete from part where work = %(work)s and number >= %(number)s;

-- name: all
select * from part where work = %(work)s order by number;

-- What waits, or was begun by somebody who has not been heard of since.
-- name: claim
update part set state = 'running', claim = %(claim)s, touched = now(), done = 0
where (work, number) = (
  select work, number from part
  where work = %(work)s
    and (state = 'waiting' or state = 'running' and touched < now() - make_interval(secs => %(silent)s))
  order by number limit 1 for update skip locked
) returning *;

-- name: touch
update part set touched = now(), done = %(done)s
where work = %(work)s and number = %(number)s and claim = %(claim)s and state = 'running' returning number;

-- name: finish
update part set state = 'done', done = last - first + 1, file = %(file)s
where work = %(work)s and number = %(number)s and claim = %(claim)s and state = 'running' returning number;

-- name: leave
update part set state = 'waiting', claim = null, done = 0
where work = %(work)s and number = %(number)s and claim = %(claim)s and state = 'running';

-- name: forget
delete from part where work = %(work)s;
