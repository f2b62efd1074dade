-- name: add
insert into medium (id, name, bytes) values (%(id)s, %(name)s, %(bytes)s)
on conflict (id) do update set name = excluded.name returning *;

-- name: one
select * from medium where id = %(id)s;

-- name: every
select id, name, bytes, state, problem, facts - 'times' - 'keys' as facts, cuts, added,
       coalesce(jsonb_array_length(facts->'times'), 0) as times,
       exists (select 1 from project p where p.document->'media' @> jsonb_build_array(jsonb_build_object('id', medium.id))) as used
from medium order by added desc, id;

-- The clip with a digest, or else the latest one of that name.
-- name: find
select id, name from medium where state = 'ready' and (id = %(id)s or name = %(name)s) order by id = %(id)s desc, added desc limit 1;

-- name: ready
update medium set state = 'ready', problem = null, facts = %(facts)s where id = %(id)s;

-- name: proxied
update medium set proxy_facts = %(facts)s where id = %(id)s;

-- name: cut
update medium set cuts = %(cuts)s where id = %(id)s;

-- name: refused
update medium set state = 'refused', problem = %(problem)s where id = %(id)s;

-- name: remove
delete from medium where id = %(id)s;

-- Media that only this project uses.
-- name: only_of
select id from medium m
where exists (select 1 from project p where p.id = %(project)s and p.document->'media' @> jsonb_build_array(jsonb_build_object('id', m.id)))
  and not exists (select 1 from project p where p.id <> %(project)s and p.document->'media' @> jsonb_build_array(jsonb_build_object('id', m.id)));

-- name: users_of
select name from project p where p.document->'media' @> jsonb_build_array(jsonb_build_object('id', %(id)s::text));

-- How many frames some media have; a picture may be held for an hour.
-- name: lengths
select id, name, state, problem,
       case facts->>'kind' when 'still' then 90000 when 'clip' then jsonb_array_length(facts->'times') end as frames
from medium where id = any(%(subjects)s);

-- name: all
select * from medium;
