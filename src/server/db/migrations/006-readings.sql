-- What settings follow and measure, by the content that it was read from: made once, the same for every shot.
create table if not exists readings_made (
  reading_key char(32) character set ascii collate ascii_bin not null,
  numbers varchar(255) character set ascii not null,
  made_at timestamp not null default current_timestamp,
  primary key (reading_key)
);
