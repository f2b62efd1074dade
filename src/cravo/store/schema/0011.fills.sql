-- What fills regions. The plates lie in the data folder, under fills/MEDIUM/KEY/; `line` is what stays the same when a
-- region is changed, so that the fill from before is found.
create table fill (
  key text primary key references result on delete cascade,
  line text not null,
  made timestamptz not null default clock_timestamp()
);
create index fill_line on fill (line, made desc);
