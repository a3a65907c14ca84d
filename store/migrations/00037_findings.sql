-- +goose Up

-- What somebody looks for on the timecards often, by name; shared with everybody
-- who sees timecards, or their own.
create table finding (
    id        uuid primary key,
    person_id uuid not null references person,
    name      text not null check (name <> '' and length(name) <= 60),
    query     text not null check (length(query) <= 1000),
    shared    boolean not null,
    made_at   timestamptz not null
);
create index finding_of on finding (person_id);

-- When somebody last looked at the timecards of a day.
create table looked (
    person_id uuid primary key references person,
    at        timestamptz not null
);

-- +goose Down
drop table looked, finding;
