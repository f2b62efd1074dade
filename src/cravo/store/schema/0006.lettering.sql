-- Lines of text over time, a row for each; a result without rows was searched and none was found.
-- `corners` holds x and y of the four corners, eight numbers for each of the `frames`.
create table sign_track (
  key text not null references result on delete cascade,
  number integer not null,
  words text not null,
  frames integer[] not null,
  corners double precision[] not null,
  hows text[] not null,
  sures double precision[] not null,
  primary key (key, number)
);
