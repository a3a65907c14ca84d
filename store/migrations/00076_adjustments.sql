-- +goose Up

-- What somebody is paid or has kept from them besides their hours: once, on a day, or by every run
-- until one. What wasn't paid yet can be taken back; what was is put right by another.
create table pay_adjustment (
    id              uuid primary key,
    employment_id   uuid not null references employment,
    does            text not null check (does in ('earning', 'deduction')),
    what            text not null check (what <> ''),
    pay_code        text not null check (pay_code <> ''),
    amount          numeric(18,6) not null check (amount > 0),
    seconds         int,                              -- of hours × rate; amount is what they come to
    rate            numeric(18,6),
    in_regular_rate boolean not null default false,
    flat_sum        boolean not null default false,
    over_from       date,
    over_to         date check (over_to >= over_from),
    from_date       date not null,
    until           date check (until >= from_date), -- by every run to then; null: once
    by_person       uuid not null references person,
    made_at         timestamptz not null,
    batch_id        uuid,                             -- the file it came in
    gone_at         timestamptz,
    check ((over_from is null) = (over_to is null)),
    check ((seconds is null) = (rate is null))
);
create index pay_adjustment_of on pay_adjustment (employment_id, from_date);
create index pay_adjustment_from on pay_adjustment (from_date);

-- A differential of named people, for the windows that begin on some days.
create table pay_differential (
    id        uuid primary key,
    name      text not null check (name <> ''),
    from_time int not null check (from_time between 0 and 86399),   -- seconds of the local day
    to_time   int not null check (to_time between 0 and 86399),
    per_hour  numeric(18,6) not null default 0,
    percent   int not null default 0,                               -- hundredths of a percent
    starts_on date not null,
    ends_on   date check (ends_on >= starts_on),
    made_at   timestamptz not null,
    gone_at   timestamptz,
    check ((per_hour > 0) <> (percent > 0))
);
create table pay_differential_of (
    differential_id uuid not null references pay_differential,
    employment_id   uuid not null references employment,
    primary key (differential_id, employment_id)
);
create index pay_differential_of_employment on pay_differential_of (employment_id);

-- The least that an hour is paid, by site and day, and an exempt salary a week; and what becomes of a
-- deduction that goes below the first.
alter table company
    add least_wages text not null default '',
    add least_salary numeric(18,6) not null default 0,
    add deduct_under text not null default 'refuse' check (deduct_under in ('refuse', 'warn'));

-- +goose Down
alter table company drop least_wages, drop least_salary, drop deduct_under;
drop table pay_differential_of, pay_differential, pay_adjustment;
