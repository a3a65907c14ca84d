-- +goose Up

-- Shifts that repeat: a rule over civil dates (RFC 5545), local times of day in seconds, and
-- how far it has been made real. Those that somebody changed or took out by hand stay so.
create table shift_series (
    id            uuid primary key,
    employment_id uuid not null references employment,
    rule          text not null,
    from_on       date not null,
    until_on      date,
    from_second   int not null check (from_second between 0 and 86399),
    to_second     int not null check (to_second > from_second),
    less          int not null default 0 check (less >= 0),
    job_id        uuid references job,
    task_id       uuid references task,
    note          text not null default '',
    skip_holidays boolean not null default true,
    skip_leave    boolean not null default true,
    made_until    date not null,
    made_batch    uuid not null,
    ended_batch   uuid,          -- what ended it, and when it would have ended without
    until_before  date,
    made_at       timestamptz not null,
    made_by       uuid not null references person
);
create index shift_series_of on shift_series (employment_id);
create index shift_series_ended on shift_series (ended_batch) where ended_batch is not null;
create index shift_series_made on shift_series (made_batch);
create table series_exception (
    series_id uuid not null references shift_series on delete cascade,
    on_date   date not null,
    primary key (series_id, on_date)
);
alter table planned add series_id uuid references shift_series, add series_on date;
create index planned_series on planned (series_id, series_on) where series_id is not null;

-- +goose Down
alter table planned drop series_id, drop series_on;
drop table series_exception, shift_series;
