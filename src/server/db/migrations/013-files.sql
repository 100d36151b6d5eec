-- What is known of a file is found by its content.
alter table frames add key if not exists by_file (file_hash);
