alter table media
  -- How its files say colour is stored, and what was said otherwise by hand.
  add column if not exists encoding varchar(12) not null default 'linear',
  add column if not exists alpha varchar(15) not null default 'premultiplied',
  add column if not exists reading json null,
  add column if not exists gaps varchar(10) not null default 'hold';
alter table passes
  add column if not exists detail json null,
  -- Why it is taken for its kind; null when it was said by hand.
  add column if not exists reason varchar(500) null,
  -- Where it comes in files of its own: the pass they are named for, and its name inside them.
  add column if not exists beside varchar(100) null,
  add column if not exists in_file varchar(255) character set utf8mb4 collate utf8mb4_bin null;
alter table frames
  add column if not exists beside varchar(100) not null default '',
  add column if not exists modified_ms bigint null,
  drop primary key,
  add primary key (shot_id, media_ref, beside, frame);

-- Files that could not be read, until one of the same name can.
create table if not exists refused_files (
  shot_id char(12) not null,
  file_name varchar(255) character set utf8mb4 collate utf8mb4_bin not null,
  media_name varchar(255) not null,
  frame int null,
  reason text not null,
  at datetime(3) not null default current_timestamp(3),
  primary key (shot_id, file_name),
  foreign key (shot_id) references shots (id) on delete cascade
);

-- Lists of object names that came in files beside the pictures.
create table if not exists manifests (
  shot_id char(12) not null,
  file_name varchar(255) character set utf8mb4 collate utf8mb4_bin not null,
  doc mediumtext not null,
  primary key (shot_id, file_name),
  foreign key (shot_id) references shots (id) on delete cascade
);
