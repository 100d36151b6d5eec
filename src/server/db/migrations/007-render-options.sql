alter table renders
  -- Its size and the names of its files; what is left out is as usual.
  add column if not exists options json null,
  -- Which render of its shot it is.
  add column if not exists version int not null default 1;
alter table render_frames
  -- All that the picture depends on, so that what is the same need not be made again.
  add column if not exists picture_key char(32) character set ascii collate ascii_bin null;
