-- +goose Up

-- What somebody who isn't paid by the hour is paid by runs, as it's written: 52000 a year, exempt
-- (executive). Empty: their salary is paid elsewhere.
alter table terms add salary text not null default '';

create or replace view membership as
    select t.employment_id, t.starts_on, t.ends_on, t.period_group
    from (select employment_id, starts_on, hourly, subcontractor, period_group, salary,
                 coalesce(lead(starts_on) over (partition by employment_id order by starts_on) - 1, 'infinity') as ends_on
          from terms) t
    join employment e on e.id = t.employment_id
    join person p on p.id = e.person_id
    where (t.hourly or t.salary <> '') and not t.subcontractor and not p.sample;

-- Why whole days of unpaid leave of a kind aren't paid by a salary: as core/pay calls it, '' for no.
alter table leave_kind add docks text not null default '';
alter table leave_day add docks text not null default '';

-- +goose Down
alter table leave_day drop docks;
alter table leave_kind drop docks;
create or replace view membership as
    select t.employment_id, t.starts_on, t.ends_on, t.period_group
    from (select employment_id, starts_on, hourly, subcontractor, period_group,
                 coalesce(lead(starts_on) over (partition by employment_id order by starts_on) - 1, 'infinity') as ends_on
          from terms) t
    join employment e on e.id = t.employment_id
    join person p on p.id = e.person_id
    where t.hourly and not t.subcontractor and not p.sample;
alter table terms drop salary;
