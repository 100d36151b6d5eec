-- What is known of a file is found by its content.
alter table frames add key if not exists by_file (file_hash);
alter table render_frames
  -- Which build of the application made it.
  add column if not exists build varchar(80) null;
