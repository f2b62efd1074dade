-- The frames of a clip on which another shot begins; null before they were looked for.
alter table medium add column cuts jsonb;
