-- A matte that was drawn at once stands in until the careful one is there. Its picture is FRAME.draft.png.
alter table matte add column draft boolean not null default false;
