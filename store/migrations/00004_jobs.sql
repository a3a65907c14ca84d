-- +goose Up

-- Kinds of job, with the tasks that every such job gets, one a line as
-- "code name".
create table job_kind (
    id       uuid primary key,
    name     text not null unique,
    own_work boolean not null default false,                -- the company's own: tool repair, cleaning, training
    tasks    text not null default ''
);

alter table job
    add kind_id        uuid references job_kind,
    add starts_on      date,
    add ends_on        date,
    add billable       boolean not null default true,
    add bill_rate      numeric(12,6) check (bill_rate >= 0),
    add budget_seconds int check (budget_seconds >= 0),
    add open_to_all    boolean not null default true;

alter table task
    add estimate_seconds int check (estimate_seconds >= 0),
    add billable         boolean not null default true,
    add class_id         uuid references classification,
    add joined_into      uuid references task;              -- worked as that task; its history stays its own

-- Who may clock to a job that is not open to all: any of these.
create table job_open_to (
    id        uuid primary key,
    job_id    uuid not null references job,
    site_id   uuid references site,
    unit_id   uuid references unit,
    class_id  uuid references classification,
    person_id uuid references person,
    check (num_nonnulls(site_id, unit_id, class_id, person_id) = 1),
    unique nulls not distinct (job_id, site_id, unit_id, class_id, person_id)
);

alter table job_wage
    add fringe_cash numeric(12,6) not null default 0 check (fringe_cash >= 0),
    add fringe_plan numeric(12,6) not null default 0 check (fringe_plan >= 0);

-- Pay codes: which code an hour or a sum gets, by who or what names one.
create table pay_code (
    id       uuid primary key,
    class_id uuid references classification,
    job_id   uuid references job,
    kind_id  uuid references job_kind,
    person_id uuid references person,
    pays     text not null check (pays in ('regular', 'overtime', 'double', 'salary', 'leave')),
    code     text not null check (code <> '' and length(code) <= 20),
    check (num_nonnulls(class_id, job_id, kind_id, person_id) <= 1),  -- none: the company's
    unique nulls not distinct (class_id, job_id, kind_id, person_id, pays)
);

create index stint_job on stint (job_id, task_id) where kind = 'work';

-- +goose Down
drop index stint_job;
drop table pay_code, job_open_to;
alter table job_wage drop fringe_cash, drop fringe_plan;
alter table task drop estimate_seconds, drop billable, drop class_id, drop joined_into;
alter table job drop kind_id, drop starts_on, drop ends_on, drop billable, drop bill_rate, drop budget_seconds, drop open_to_all;
drop table job_kind;
