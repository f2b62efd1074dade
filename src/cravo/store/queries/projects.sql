-- name: add
insert into project (name, document) values (%(name)s, %(document)s) returning *;

-- name: one
select * from project where id = %(id)s;

-- The row is locked until the edit is complete, so that edits of one project follow one another.
-- name: one_for_edit
select * from project where id = %(id)s for update;

-- name: every
select id, name, revision, created, touched, document from project order by touched desc;

-- name: write
update project set name = %(name)s, document = %(document)s, revision = revision + 1, touched = now()
where id = %(id)s returning revision;

-- name: remove
delete from project where id = %(id)s;

-- name: add_edit
insert into edit (project, number, label, patch, inverse)
select %(project)s, coalesce(max(number), 0) + 1, %(label)s, %(patch)s, %(inverse)s from edit where project = %(project)s;

-- name: drop_undone
update edit set state = 'dropped' where project = %(project)s and state = 'undone';

-- name: last_done
select * from edit where project = %(project)s and state = 'done' order by number desc limit 1;

-- name: first_undone
select * from edit where project = %(project)s and state = 'undone' order by number limit 1;

-- name: mark
update edit set state = %(state)s where project = %(project)s and number = %(number)s;

-- name: history
select number, label, state, made from edit where project = %(project)s and state <> 'dropped' order by number;
