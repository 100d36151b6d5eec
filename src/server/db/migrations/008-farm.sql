alter table renders
  -- 1 before all others, -1 after them.
  add column if not exists priority tinyint not null default 0,
  -- Among those of the same priority the lowest comes first.
  add column if not exists place double not null default 0,
  add column if not exists paused boolean not null default false;
alter table render_frames
  -- Who it was handed to, this one time: what comes with another token does not count.
  add column if not exists token char(24) character set ascii collate ascii_bin null,
  add column if not exists seen_at datetime(3) null,
  add column if not exists ms int null;
create table if not exists workers (
  seat varchar(60) character set ascii collate ascii_bin not null primary key,
  machine varchar(120) not null,
  cores int not null,
  build varchar(80) not null,
  -- Of the machine, over the last minute.
  busy float not null default 0,
  frames_made int not null default 0,
  -- Milliseconds a frame, of its last ones.
  pace float null,
  seen_at datetime(3) not null default current_timestamp(3),
  paused boolean not null default false,
  -- Frames that it is given at once; as many as it asks for where null.
  most int null
);
-- Raised whenever the order of the waiting frames changes.
create table if not exists queue_order (
  one tinyint not null primary key,
  mark bigint not null
);
insert ignore into queue_order (one, mark) values (1, 0);
