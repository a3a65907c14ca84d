-- +goose Up
alter table company
    add job_word          text not null default 'job',
    add mark              bytea,                              -- PNG, resized
    add holiday_country   text not null default '',
    add location_interval int not null default 600,           -- seconds between locations along the way
    add location_moved    int not null default 250;           -- metres to have moved for one

-- The figures by which cards are judged, from a worked date on. Before the
-- first row those of company hold.
create table figures (
    starts_on         date primary key,
    longest_shift     int not null,
    late_after        int not null,
    over_plan_after   int not null,
    meal_due_after    int not null,
    meal_waived_up_to int not null,
    missing_after     int not null
);

-- Holidays of the place: nothing is expected on them. A multiplier pays a
-- premium on hours worked.
create table holiday (
    date       date primary key,
    name       text not null,
    multiplier numeric(6,4) check (multiplier between 1 and 10)
);

-- +goose Down
drop table holiday, figures;
alter table company drop job_word, drop mark, drop holiday_country, drop location_interval, drop location_moved;
