-- +goose Up

-- How many people a job wants on a day, from when to when: seconds of the local day.
create table job_wanted (
    job_id      uuid not null references job on delete cascade,
    date        date not null,
    people      int not null check (people between 1 and 1000),
    from_second int not null check (from_second between 0 and 86399),
    to_second   int not null check (to_second between 1 and 172800),
    said_by     uuid not null references person,
    said_at     timestamptz not null,
    primary key (job_id, date)
);
create index planned_job on planned (job_id, date) where job_id is not null;

-- +goose Down
drop index planned_job;
drop table job_wanted;
