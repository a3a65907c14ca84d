-- +goose Up

-- What is planned. What people were told of it is in shift, by the same ids: that is what
-- cards, the clock and Today live from. Telling makes the second the first.
create table planned (
    id            uuid primary key,
    employment_id uuid not null references employment,
    date          date not null,
    start_at      timestamptz not null,
    end_at        timestamptz not null check (end_at > start_at),
    job_id        uuid references job,
    task_id       uuid references task,
    less          int not null default 0 check (less >= 0), -- seconds of unpaid breaks that are expected in it
    note          text not null default '',
    changed_at    timestamptz not null
);
create index planned_day on planned (date, employment_id);
create index planned_of on planned (employment_id, start_at);

-- What was planned so far had no such breaks: those of the working pattern, where it is as long.
alter table shift add note text not null default '', add less int not null default 0 check (less >= 0);
update shift s set less = l.less from (
    select s.id, extract(epoch from s.end_at - s.start_at)::int - p.seconds[extract(dow from s.date)::int + 1] as less
    from shift s cross join lateral (select seconds from pattern where employment_id = s.employment_id and starts_on <= s.date
                                     order by starts_on desc limit 1) p) l
where l.id = s.id and l.less between 1 and 7200;
insert into planned (id, employment_id, date, start_at, end_at, job_id, task_id, less, changed_at)
    select id, employment_id, date, start_at, end_at, job_id, task_id, less, now() from shift;

-- Each change of the plan, what was and what is; an act's changes are one batch.
create table planned_change (
    id            uuid primary key,
    batch_id      uuid not null,
    planned_id    uuid not null,
    employment_id uuid not null references employment,
    was           jsonb,
    is_now        jsonb,
    made_at       timestamptz not null,
    by_person     uuid not null references person,
    seq           bigint generated always as identity
);
create index planned_change_batch on planned_change (batch_id);
create index planned_change_of on planned_change (planned_id, seq);
create trigger planned_change_append_only before update or delete on planned_change
    for each row execute function append_only_but_samples();

-- When somebody was told of a shift, or of a change of it, and how long before it began.
create table shift_told (
    id             uuid primary key,
    shift_id       uuid not null,
    employment_id  uuid not null references employment,
    date           date not null,
    was            jsonb,
    is_now         jsonb,
    told_at        timestamptz not null,
    by_person      uuid not null references person,
    notice_id      uuid not null,
    ahead_seconds  bigint not null
);
create index shift_told_of on shift_told (shift_id, told_at);
create index shift_told_on on shift_told (employment_id, date);
create trigger shift_told_append_only before update or delete on shift_told for each row execute function append_only_but_samples();

-- What speaks against a shift, where the company said otherwise than is usual.
create table plan_rule (
    code   text primary key,
    does   text not null check (does in ('off', 'warn', 'refuse')),
    figure int not null default 0 check (figure between 0 and 1000)
);

-- A crew's usual week, by name: days from its first, and seconds of the local day.
create table usual_week (
    id      uuid primary key,
    unit_id uuid not null references unit,
    name    text not null check (name <> ''),
    shifts  jsonb not null,
    kept_at timestamptz not null,
    unique (unit_id, name)
);

-- +goose Down
drop table usual_week, plan_rule, shift_told, planned_change, planned;
alter table shift drop note, drop less;
