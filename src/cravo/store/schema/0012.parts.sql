-- Pieces of a long export, each coded by whichever worker comes first; `first` and `last` count pictures of the file.
-- `claim` tells who works on one, `touched` when that was heard of last, `file` where the finished piece lies, within
-- the export's folder.
create table part (
  work uuid not null references work on delete cascade,
  number integer not null,
  first integer not null,
  last integer not null,
  state text not null default 'waiting' check (state in ('waiting', 'running', 'done')),
  claim text,
  touched timestamptz,
  done integer not null default 0,
  file text,
  primary key (work, number)
);
