alter table renders
  -- Frames of its shot are rendered as they come.
  add column if not exists follows boolean not null default false,
  -- Raised whenever what is rendered has become another: its media, its comp.
  add column if not exists mark int not null default 0;
alter table render_frames
  -- Of the files that the frame is made of, for renders that follow their shot.
  add column if not exists source char(32) character set ascii collate ascii_bin null;
