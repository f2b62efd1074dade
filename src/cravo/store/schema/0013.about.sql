-- Pieces of other long work than exports: `first` and `last` count its frames, and `about` says what exactly a piece is
-- of, so that one of something that was changed since is begun anew; `file` is where it lies, or the name of a result.
alter table part add column about text not null default '';
