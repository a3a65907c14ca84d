-- +goose Up

-- Pay codes hold from a date, so that what was paid keeps its codes. An empty
-- code takes the name back: from then on the owner names none.
drop table pay_code;
create table pay_code (
    id        uuid primary key,
    class_id  uuid references classification,
    job_id    uuid references job,
    kind_id   uuid references job_kind,
    person_id uuid references person,
    pays      text not null check (pays in ('regular', 'overtime', 'double', 'salary', 'leave')),
    code      text not null check (length(code) <= 20),
    starts_on date not null,
    check (num_nonnulls(class_id, job_id, kind_id, person_id) <= 1),  -- none: the company's
    unique nulls not distinct (class_id, job_id, kind_id, person_id, pays, starts_on)
);

-- In which order owners are asked for a pay code, from a date on.
create table code_order (
    starts_on date primary key,
    owners    text not null                                 -- names of owners, with commas
);

-- The cost codes that tasks may have. Where there is none, any will do.
create table cost_code (
    code   text primary key check (code <> '' and length(code) <= 20),
    name   text not null,
    closed boolean not null default false
);
insert into cost_code (code, name) select distinct on (cost_code) cost_code, name from task where cost_code <> '' order by cost_code, name;

-- +goose Down
drop table cost_code, code_order, pay_code;
create table pay_code (
    id        uuid primary key,
    class_id  uuid references classification,
    job_id    uuid references job,
    kind_id   uuid references job_kind,
    person_id uuid references person,
    pays      text not null check (pays in ('regular', 'overtime', 'double', 'salary', 'leave')),
    code      text not null check (code <> '' and length(code) <= 20),
    check (num_nonnulls(class_id, job_id, kind_id, person_id) <= 1),
    unique nulls not distinct (class_id, job_id, kind_id, person_id, pays)
);
