-- name: add
insert into recipe (recipe) values (%(recipe)s) returning *;

-- name: every
select * from recipe order by made, id;

-- name: remove
delete from recipe where id = %(id)s;
