-- Frames on which the area is hidden, placed between where it was last and next seen.
alter table sample drop constraint sample_state_check;
alter table sample add constraint sample_state_check check (state in ('followed', 'bridged', 'lost'));
