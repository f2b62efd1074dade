-- name: add
insert into work (kind, label, project, subject, detail) values (%(kind)s, %(label)s, %(project)s, %(subject)s, %(detail)s) returning *;

-- name: one
select * from work where id = %(id)s;

-- name: open
select * from work where state in ('waiting', 'running') order by created;

-- name: of_project
select * from work where project = %(project)s order by created desc limit 200;

-- Open work on the same subject, so that the same thing is not begun twice.
-- name: open_on
select * from work where subject = %(subject)s and kind = %(kind)s and detail = %(detail)s
  and state in ('waiting', 'running') and not stop_wanted limit 1;

-- name: begin
update work set state = 'running', started = coalesce(started, now()), touched = now(), problem = null where id = %(id)s returning *;

-- name: progress
update work set done = %(done)s, total = %(total)s, touched = now() where id = %(id)s returning stop_wanted;

-- name: finish
update work set state = %(state)s, problem = %(problem)s, detail = detail || %(detail)s, touched = now() where id = %(id)s returning *;

-- name: want_stop
update work set stop_wanted = true, state = case when state = 'waiting' then 'stopped' else state end, touched = now()
where id = %(id)s and state in ('waiting', 'running') returning *;

-- name: want_stop_on
update work set stop_wanted = true, state = case when state = 'waiting' then 'stopped' else state end, touched = now()
where subject = %(subject)s and state in ('waiting', 'running') returning id;

-- name: remove
delete from work where id = %(id)s;
