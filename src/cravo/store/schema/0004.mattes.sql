-- The mattes of cut-outs, frame by frame. The picture lies in the data folder, under mattes/MEDIUM/KEY/FRAME.png;
-- `box` says where in the source it lies: left, top, right, bottom.
create table matte (
  key text not null references result on delete cascade,
  frame integer not null,
  box jsonb not null,
  confidence double precision not null,
  reasons jsonb not null default '[]',
  primary key (key, frame)
);
