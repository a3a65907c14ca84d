-- +goose Up

-- Groups of people who are paid by pay periods of their own. Who is in none
-- is paid by the company's.
create table period_group (
    name   text primary key check (name <> '' and length(name) <= 40),
    kind   text not null check (kind in ('weekly', 'fortnight', 'twice_a_month', 'monthly')),
    anchor date not null
);
insert into period_group select distinct e.period_group, c.period_kind, c.period_anchor
    from employment e cross join company c where e.period_group <> '';

alter table run add period_group text not null default '';       -- '': the company's
alter table run drop constraint run_from_date_to_date_key;
alter table run add constraint run_of_period unique (period_group, from_date, to_date);
create index employment_group on employment (period_group) where period_group <> '';

-- +goose Down
drop index employment_group;
alter table run drop constraint run_of_period;
alter table run add constraint run_from_date_to_date_key unique (from_date, to_date);
alter table run drop period_group;
drop table period_group;
