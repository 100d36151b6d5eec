-- Pictures that were kept to compare with.
create table if not exists stills (
  shot_id char(12) not null,
  id char(12) not null,
  name varchar(120) not null,
  frame int not null,
  png mediumblob not null,
  created_at datetime(3) not null default current_timestamp(3),
  primary key (shot_id, id),
  foreign key (shot_id) references shots (id) on delete cascade
);
