-- The state of the project that work was asked for, where it must not change while the work waits.
create table work_document (
  work uuid primary key references work on delete cascade,
  revision integer not null,
  document jsonb not null
);

-- What comes first in the queue has the higher priority. `paced` is when the first unit was done, and `paced_done`
-- how many were by then: what a start takes says nothing about the time that is left.
alter table work add column priority integer not null default 0;
alter table work add column paced timestamptz;
alter table work add column paced_done integer not null default 0;
create index work_project on work (project, kind);
