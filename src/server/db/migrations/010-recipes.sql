create table if not exists recipes (
  id char(12) not null primary key,
  name varchar(200) not null,
  version int not null,
  created_at datetime(3) not null default current_timestamp(3)
);
create table if not exists recipe_versions (
  recipe_id char(12) not null,
  version int not null,
  doc json not null,
  saved_at datetime(3) not null default current_timestamp(3),
  primary key (recipe_id, version),
  foreign key (recipe_id) references recipes (id) on delete cascade
);
