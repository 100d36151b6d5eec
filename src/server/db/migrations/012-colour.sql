-- What the colours of its files are and how that is known, in words.
alter table media
  add column if not exists colour json null;
