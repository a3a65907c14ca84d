-- +goose Up

-- By which file somebody, or a job or task, came in.
alter table person add brought_in uuid;
create index person_brought_in on person (brought_in) where brought_in is not null;
alter table job add brought_in uuid;
create index job_brought_in on job (brought_in) where brought_in is not null;
alter table task add brought_in uuid;
create index task_brought_in on task (brought_in) where brought_in is not null;

-- What a file of jobs changed: of which job or task, which setting, from what to
-- what; and when it was taken back.
alter table import
    add was       jsonb not null default '[]',
    add undone_at timestamptz;

-- +goose Down
alter table import drop was, drop undone_at;
alter table task drop brought_in;
alter table job drop brought_in;
alter table person drop brought_in;
