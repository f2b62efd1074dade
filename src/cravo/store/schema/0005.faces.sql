-- Faces over time, a row for each track; a result without rows was searched and nobody was found.
-- `ovals` holds x, y, half width, half height and degrees, five numbers for each of the `frames`.
create table face_track (
  key text not null references result on delete cascade,
  number integer not null,
  frames integer[] not null,
  ovals double precision[] not null,
  hows text[] not null,
  sures double precision[] not null,
  primary key (key, number)
);
