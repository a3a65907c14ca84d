-- +goose Up

-- The people a task is meant for: it stands first on their clock page.
create table task_person (
    task_id       uuid not null references task on delete cascade,
    employment_id uuid not null references employment on delete cascade,
    primary key (task_id, employment_id)
);
create index task_person_of on task_person (employment_id);

-- +goose Down
drop table task_person;
