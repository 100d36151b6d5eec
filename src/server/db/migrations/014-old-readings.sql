-- Readings go when they are old: they are found by their age.
alter table readings_made add index if not exists by_age (made_at);
