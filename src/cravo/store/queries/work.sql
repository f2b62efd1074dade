-- name: add
insert into work (kind, label, project, subject, detail, priority)
values (%(kind)s, %(label)s, %(project)s, %(subject)s, %(detail)s, %(priority)s) returning *;

-- name: freeze
insert into work_document (work, revision, document) values (%(id)s, %(revision)s, %(document)s);

-- name: frozen
select document from work_document where work = %(id)s;

-- name: one
select work.*, project.name as project_name from work left join project on project.id = work.project where work.id = %(id)s;

-- The first of the queue first.
-- name: open
select work.*, project.name as project_name from work left join project on project.id = work.project
where state in ('waiting', 'running') order by state, priority desc, work.created;

-- How much of a project waits already: the more, the later comes what is added.
-- name: open_of
select count(*) as count from work where project is not distinct from %(project)s and state in ('waiting', 'running');

-- name: last_proof
select * from work where project = %(project)s and kind in ('proof', 'protect') and state = 'done' order by created desc limit 1;

-- Clips that were protected, or are to be, each in a project of its own.
-- name: protected
select work.*, project.name as project_name from work join project on project.id = work.project
where kind = 'protect' order by work.created desc;

-- name: last_alike
select * from work where project = %(project)s and kind = 'alike' and state = 'done' order by created desc limit 1;

-- name: exports
select * from work where project = %(project)s and kind in ('render', 'protect') order by created desc;

-- Open work on the same subject, so that the same thing is not begun twice.
-- name: open_on
select * from work where subject = %(subject)s and kind = %(kind)s and detail @> %(detail)s
  and state in ('waiting', 'running') and not stop_wanted limit 1;

-- What is under way of some subjects; work on many at once has them in its detail.
-- name: open_on_any
select * from work where (subject = any(%(subjects)s) or detail -> 'subjects' ?| %(subjects)s)
  and state in ('waiting', 'running') and not stop_wanted order by created limit 1;

-- How many workers were heard of lately.
-- name: workers
select count(*) as count from procrastinate_workers where last_heartbeat > now() - make_interval(secs => %(seconds)s);

-- A worker that died before the clock was set back would else seem alive until it shows that time again.
-- name: beats_ahead
update procrastinate_workers set last_heartbeat = now() where last_heartbeat > now() + make_interval(secs => %(seconds)s);

-- Nothing is put off for longer than a few seconds.
-- name: calls_ahead
update procrastinate_jobs set scheduled_at = now()
where status = 'todo' and scheduled_at > now() + make_interval(secs => %(seconds)s);

-- name: parts_ahead
update part set touched = now() where touched > now() + make_interval(secs => %(seconds)s);

-- How much of each kind came to which end.
-- name: counted
select kind || ' ' || state as what, count(*) as count from work group by kind, state order by kind, state;

-- How many million pixels a second each kind of find took, in the median of the last ones.
-- name: paces
select what, percentile_cont(0.5) within group (order by pace) as pace from (
  select detail ->> 'what' as what, (detail ->> 'pace')::float as pace,
    row_number() over (partition by detail ->> 'what' order by created desc) as age
  from work where detail ? 'pace' and state = 'done'
) as lately where age <= 20 group by what;

-- name: begin
update work set state = 'running', started = coalesce(started, now()), touched = now(), problem = null,
  paced = null, paced_done = 0, detail = detail - 'waits_for'
where id = %(id)s returning *;

-- name: wait
update work set state = 'waiting', touched = now(), detail = detail || %(detail)s where id = %(id)s and state = 'running' returning *;

-- name: progress
update work set done = %(done)s, total = %(total)s, touched = now(), paced = coalesce(paced, now()),
  paced_done = case when paced is null then %(done)s else paced_done end
where id = %(id)s returning stop_wanted;

-- name: finish
update work set state = %(state)s, problem = %(problem)s, detail = detail || %(detail)s, touched = now() where id = %(id)s returning *;

-- name: want_stop
update work set stop_wanted = true, state = case when state = 'waiting' then 'stopped' else state end, touched = now()
where id = %(id)s and state in ('waiting', 'running') returning *;

-- The latest work on a subject.
-- name: last_on
select * from work where subject = %(subject)s or detail -> 'subjects' ? %(subject)s order by created desc limit 1;

-- name: want_stop_on
update work set stop_wanted = true, detail = detail || %(why)s, state = case when state = 'waiting' then 'stopped' else state end, touched = now()
where (subject = any(%(subjects)s) or detail -> 'subjects' <@ to_jsonb(%(subjects)s::text[])) and state in ('waiting', 'running') returning id;

-- name: remove
delete from work where id = %(id)s;

-- Work of which a file lies in the data folder.
-- name: files
select id, state, detail from work where kind in ('render', 'protect');

-- name: without_job
select id, label from work where state in ('waiting', 'running') and not exists (
  select 1 from procrastinate_jobs where task_name = 'work' and args ->> 'work' = work.id::text and status in ('todo', 'doing')
);
