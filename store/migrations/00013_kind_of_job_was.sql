-- +goose Up
-- The kind that a job was of before a date: pay codes of hours that are paid
-- go by it still.
create table job_kind_was (
    job_id  uuid not null references job,
    until   date not null,                                  -- the first day on which the next one holds
    kind_id uuid references job_kind,
    primary key (job_id, until)
);

-- What was worked on a job is added up from the index alone.
drop index stint_job;
create index stint_job on stint (job_id, task_id) include (start_at, end_at) where kind = 'work';

-- +goose Down
drop index stint_job;
create index stint_job on stint (job_id, task_id) where kind = 'work';
drop table job_kind_was;
