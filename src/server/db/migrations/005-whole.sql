-- Names of passes and files are told apart by a space at their end, too.
alter table passes
  modify column name varchar(255) character set utf8mb4 collate utf8mb4_nopad_bin not null,
  modify column in_file varchar(255) character set utf8mb4 collate utf8mb4_nopad_bin null;
alter table watched_files
  modify column name varchar(255) character set utf8mb4 collate utf8mb4_nopad_bin not null;
alter table refused_files
  modify column file_name varchar(255) character set utf8mb4 collate utf8mb4_nopad_bin not null;
alter table manifests
  modify column file_name varchar(255) character set utf8mb4 collate utf8mb4_nopad_bin not null;
alter table frames
  modify column beside varchar(100) character set utf8mb4 collate utf8mb4_nopad_bin not null default '';
alter table media
  modify column name varchar(255) character set utf8mb4 collate utf8mb4_nopad_bin not null;

-- Shots whose making broke off: they never had a comp, and could be neither opened nor removed.
delete from shots where not exists (select 1 from comps where comps.shot_id = shots.id);

-- A frame belongs to a worker while that holds a lock of its name, not for a time.
alter table render_frames
  drop index if exists by_state;
alter table render_frames
  drop column if exists lease_until,
  add index if not exists by_state (state);
