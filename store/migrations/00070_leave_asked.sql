-- +goose Up

-- Kinds of leave, the company's own.
create table leave_kind (
    id          uuid primary key,
    name        text not null unique check (name <> ''),
    paid        boolean not null default true,
    pay_code    text not null check (pay_code <> ''),
    note_needed boolean not null default false,
    closed      boolean not null default false
);
insert into leave_kind (id, name, paid, pay_code)
    select gen_random_uuid(), name, bool_and(paid), min(pay_code) from leave_day group by name;

-- Leave that somebody asks for, or that is entered for them, and its days.
create table leave_request (
    id            uuid primary key,
    employment_id uuid not null references employment,
    kind_id       uuid not null references leave_kind,
    note          text not null default '',
    asked_by      uuid not null references person,
    asked_at      timestamptz not null
);
create index leave_request_of on leave_request (employment_id, asked_at);
create table leave_request_day (
    request_id    uuid not null references leave_request,
    employment_id uuid not null references employment,
    date          date not null,
    seconds       int not null check (seconds > 0),
    primary key (request_id, date)
);
create index leave_request_day_on on leave_request_day (employment_id, date);

-- What became of it: the last says how it stands, and nothing that it is asked.
create table leave_act (
    id            uuid primary key,
    request_id    uuid not null references leave_request,
    employment_id uuid not null references employment,
    does          text not null check (does in ('approve', 'decline', 'withdraw', 'take_back')),
    why           text not null default '',
    by_person     uuid not null references person,
    made_at       timestamptz not null,
    seq           bigint generated always as identity
);
create index leave_act_of on leave_act (request_id, seq);
create trigger leave_request_append_only before update or delete on leave_request for each row execute function append_only_but_samples();
create trigger leave_request_day_append_only before update or delete on leave_request_day
    for each row execute function append_only_but_samples();
create trigger leave_act_append_only before update or delete on leave_act for each row execute function append_only_but_samples();

-- Of a day of leave: the request that made it.
alter table leave_day add request_id uuid references leave_request;
create index leave_day_request on leave_day (request_id) where request_id is not null;

-- +goose Down
alter table leave_day drop request_id;
drop table leave_act, leave_request_day, leave_request, leave_kind;
