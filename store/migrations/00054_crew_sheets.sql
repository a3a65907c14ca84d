-- +goose Up

-- Somebody of another crew, on the sheet of a crew for a day. Taken off it again, that stays
-- to be read.
create table borrowed (
    id            uuid primary key,
    unit_id       uuid not null references unit,
    employment_id uuid not null references employment,
    date          date not null,
    by_person     uuid not null references person,
    made_at       timestamptz not null,
    back_by       uuid references person,
    back_at       timestamptz
);
create unique index borrowed_once on borrowed (unit_id, employment_id, date) where back_at is null;
create index borrowed_of on borrowed (employment_id, date);

-- Who didn't come on a day, as somebody who looked says.
create table not_there (
    id            uuid primary key,
    employment_id uuid not null references employment,
    date          date not null,
    by_person     uuid not null references person,
    made_at       timestamptz not null,
    back_by       uuid references person,
    back_at       timestamptz
);
create unique index not_there_once on not_there (employment_id, date) where back_at is null;

-- What is counted of the work on a job or a task beside the hours, such as signs or metres.
alter table job add counted_in text not null default '';
alter table task add counted_in text not null default '';

-- How much a crew did of it on a day. The newest of a crew, day, job and task counts.
create table quantity (
    id         uuid primary key,
    unit_id    uuid not null references unit,
    date       date not null,
    job_id     uuid not null references job,
    task_id    uuid references task,
    amount     numeric(12,2) not null check (amount >= 0),
    counted_in text not null check (counted_in <> ''),
    by_person  uuid not null references person,
    made_at    timestamptz not null
);
create index quantity_of_job on quantity (job_id, date);
create index quantity_of_unit on quantity (unit_id, date);
create trigger quantity_append_only before update on quantity for each row execute function append_only();

-- Somebody of whom only the name is known has no number until the office gives one; or they
-- turn out to be somebody who is there already.
alter table person drop constraint person_number_key;
create unique index person_number_key on person (number) where number <> '';
alter table person add joined_into uuid references person;

-- +goose Down
alter table person drop joined_into;
update person set number = 'new ' || id where number = '';
drop index person_number_key;
alter table person add constraint person_number_key unique (number);
drop table quantity;
alter table task drop counted_in;
alter table job drop counted_in;
drop table not_there, borrowed;
