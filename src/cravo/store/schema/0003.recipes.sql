-- Recipes that users keep, for all their projects.
create table recipe (
  id uuid primary key default gen_random_uuid(),
  recipe jsonb not null,
  made timestamptz not null default now()
);
