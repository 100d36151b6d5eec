create table if not exists shots (
  id char(12) not null primary key,
  name varchar(200) not null,
  created_at datetime(3) not null default current_timestamp(3),
  updated_at datetime(3) not null default current_timestamp(3),
  thumbnail mediumblob null
);

create table if not exists media (
  shot_id char(12) not null,
  -- The id that comps use for it.
  ref varchar(40) not null,
  name varchar(255) not null,
  created_at datetime(3) not null default current_timestamp(3),
  primary key (shot_id, ref),
  foreign key (shot_id) references shots (id) on delete cascade
);

create table if not exists passes (
  shot_id char(12) not null,
  media_ref varchar(40) not null,
  position int not null,
  name varchar(255) character set utf8mb4 collate utf8mb4_bin not null,
  kind varchar(20) not null,
  channels json not null,
  type varchar(10) not null,
  primary key (shot_id, media_ref, name),
  foreign key (shot_id, media_ref) references media (shot_id, ref) on delete cascade
);

create table if not exists frames (
  shot_id char(12) not null,
  media_ref varchar(40) not null,
  frame int not null,
  file_hash char(64) not null,
  file_name varchar(255) not null,
  bytes bigint not null,
  width int not null,
  height int not null,
  warnings json not null,
  primary key (shot_id, media_ref, frame),
  foreign key (shot_id, media_ref) references media (shot_id, ref) on delete cascade
);

create table if not exists comps (
  shot_id char(12) not null primary key,
  revision int not null,
  foreign key (shot_id) references shots (id) on delete cascade
);

create table if not exists comp_revisions (
  shot_id char(12) not null,
  revision int not null,
  doc json not null,
  saved_at datetime(3) not null default current_timestamp(3),
  primary key (shot_id, revision),
  foreign key (shot_id) references comps (shot_id) on delete cascade
);

create table if not exists renders (
  id char(12) not null primary key,
  shot_id char(12) not null,
  revision int not null,
  -- What is rendered is what the shot was when it was asked for.
  doc json not null,
  media json not null,
  formats json not null,
  cancelled boolean not null default false,
  created_at datetime(3) not null default current_timestamp(3),
  foreign key (shot_id) references shots (id) on delete cascade
);

create table if not exists render_frames (
  render_id char(12) not null,
  frame int not null,
  state enum('waiting', 'working', 'done', 'failed', 'cancelled') not null default 'waiting',
  progress float not null default 0,
  attempts int not null default 0,
  worker varchar(60) null,
  lease_until datetime(3) null,
  problem text null,
  files json null,
  finished_at datetime(3) null,
  primary key (render_id, frame),
  key by_state (state, lease_until),
  foreign key (render_id) references renders (id) on delete cascade
);
