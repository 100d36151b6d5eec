-- What a render is asked for, kept under a name to be asked for again.
create table if not exists render_settings (
  name varchar(80) character set utf8mb4 collate utf8mb4_nopad_bin not null primary key,
  doc json not null,
  saved_at datetime(3) not null default current_timestamp(3)
);

alter table render_frames
  -- Why its files are not in the folder that the render puts them into.
  add column if not exists undelivered text null;
