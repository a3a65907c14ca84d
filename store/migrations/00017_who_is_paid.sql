-- +goose Up

-- By which terms somebody is paid, dated: by the hour or a salary, as a
-- subcontractor, by whose pay periods. Every employment has its first terms
-- from the beginning of time.
create table terms (
    employment_id uuid not null references employment on delete cascade,
    starts_on     date not null,
    hourly        boolean not null default true,
    subcontractor boolean not null default false, -- costed to jobs, in no run
    period_group  text not null default '',       -- '': the company's
    primary key (employment_id, starts_on)
);
create index terms_group on terms (period_group) where period_group <> '';
insert into terms select id, '1900-01-01', hourly, subcontractor, period_group from employment;

-- +goose StatementBegin
create function first_terms() returns trigger language plpgsql as $$
begin
    insert into terms (employment_id, starts_on) values (new.id, '1900-01-01');
    return new;
end $$;
-- +goose StatementEnd
create trigger employment_first_terms after insert on employment for each row execute function first_terms();

drop index employment_group;
alter table employment drop hourly, drop subcontractor, drop period_group;

-- Who is in the runs of which group, and from when to when: the one answer.
create view membership as
    select t.employment_id, t.starts_on, t.ends_on, t.period_group
    from (select employment_id, starts_on, hourly, subcontractor, period_group,
                 coalesce(lead(starts_on) over (partition by employment_id order by starts_on) - 1, 'infinity') as ends_on
          from terms) t
    join employment e on e.id = t.employment_id
    join person p on p.id = e.person_id
    where t.hourly and not t.subcontractor and not p.sample;

-- A card that changed after it was paid waits until somebody approves the
-- change. Until then runs go by its stints as they were accepted, kept here.
create table settled_stint (
    id            uuid not null,
    employment_id uuid not null references employment,
    date          date not null,
    kind          text not null,
    job_id        uuid references job,
    task_id       uuid references task,
    class_id      uuid references classification,
    start_at      timestamptz not null,
    end_at        timestamptz not null,
    primary key (employment_id, date, id)
);
insert into settled_stint
    select s.id, s.employment_id, s.date, s.kind, s.job_id, s.task_id, s.class_id, s.start_at, s.end_at
    from card c join stint s on s.employment_id = c.employment_id and s.date = c.date
    where c.adjust and s.end_at is not null;
update card set late_change = true where adjust;

-- Wage determinations hold from a date; a job keeps one until another is set.
alter table job_wage add starts_on date not null default '1900-01-01';
alter table job_wage drop constraint job_wage_pkey;
alter table job_wage add primary key (job_id, class_id, starts_on);
alter table job_wage alter starts_on drop default;

-- +goose Down
delete from job_wage w where exists (
    select 1 from job_wage x where x.job_id = w.job_id and x.class_id = w.class_id and x.starts_on > w.starts_on);
alter table job_wage drop constraint job_wage_pkey;
alter table job_wage drop starts_on;
alter table job_wage add primary key (job_id, class_id);
drop table settled_stint;
drop view membership;
alter table employment add hourly boolean not null default true,
    add subcontractor boolean not null default false, add period_group text not null default '';
update employment e set hourly = t.hourly, subcontractor = t.subcontractor, period_group = t.period_group
    from (select distinct on (employment_id) * from terms order by employment_id, starts_on desc) t where t.employment_id = e.id;
create index employment_group on employment (period_group) where period_group <> '';
drop trigger employment_first_terms on employment;
drop function first_terms();
drop table terms;
