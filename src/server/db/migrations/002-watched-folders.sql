create table if not exists watched_folders (
  shot_id char(12) not null,
  path varchar(500) not null,
  created_at datetime(3) not null default current_timestamp(3),
  primary key (shot_id, path),
  foreign key (shot_id) references shots (id) on delete cascade
);

-- What has been taken from a folder, so that a file comes in again only when it has changed.
create table if not exists watched_files (
  shot_id char(12) not null,
  path varchar(500) not null,
  name varchar(255) character set utf8mb4 collate utf8mb4_bin not null,
  bytes bigint not null,
  changed_ms bigint not null,
  problem text null,
  primary key (shot_id, path, name),
  foreign key (shot_id, path) references watched_folders (shot_id, path) on delete cascade
);
