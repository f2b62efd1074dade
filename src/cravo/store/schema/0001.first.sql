-- Clips and pictures on the shelf. `id` is the SHA-256 of the file; the file lies under that name.
create table medium (
  id text primary key,
  name text not null,
  bytes bigint not null,
  state text not null default 'waiting' check (state in ('waiting', 'ready', 'refused')),
  problem text,
  facts jsonb,
  proxy_facts jsonb,
  added timestamptz not null default now()
);

-- A project's present document and the number of changes made to it.
create table project (
  id uuid primary key default gen_random_uuid(),
  name text not null,
  document jsonb not null,
  revision integer not null default 0,
  created timestamptz not null default now(),
  touched timestamptz not null default now()
);

-- Every edit as an RFC 6902 patch with its inverse. Undone edits can be redone until a new one drops them.
create table edit (
  project uuid not null references project on delete cascade,
  number integer not null,
  label text not null,
  patch jsonb not null,
  inverse jsonb not null,
  state text not null default 'done' check (state in ('done', 'undone', 'dropped')),
  made timestamptz not null default now(),
  primary key (project, number)
);

-- Results are named by a digest of exactly the settings that affect them. `stamp` grows with every change.
create table result (
  key text primary key,
  medium text not null references medium on delete cascade,
  stamp bigint not null default 0
);

create table sample (
  key text not null references result on delete cascade,
  frame integer not null,
  matrix double precision[] not null,
  confidence double precision not null,
  state text not null check (state in ('followed', 'lost')),
  primary key (key, frame)
);

-- Long work as users see it; the queue itself is the job engine's.
create table work (
  id uuid primary key default gen_random_uuid(),
  kind text not null,
  label text not null,
  project uuid references project on delete cascade,
  subject text,
  detail jsonb not null default '{}',
  state text not null default 'waiting' check (state in ('waiting', 'running', 'done', 'stopped', 'failed')),
  done integer not null default 0,
  total integer not null default 0,
  problem text,
  stop_wanted boolean not null default false,
  created timestamptz not null default now(),
  started timestamptz,
  touched timestamptz not null default now()
);
create index work_open on work (state) where state in ('waiting', 'running');
