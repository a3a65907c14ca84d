-- +goose Up

-- Places of a shift that nobody has yet: wanted by a crew, or freed by whoever hands a shift
-- over or can't come. Offered to somebody, only they can take it.
create table opening (
    id          uuid primary key,
    unit_id     uuid not null references unit,
    date        date not null,
    start_at    timestamptz not null,
    end_at      timestamptz not null check (end_at > start_at),
    less        int not null default 0 check (less >= 0),
    job_id      uuid references job,
    task_id     uuid references task,
    note        text not null default '',
    wanted      int not null check (wanted between 1 and 200),
    of_shift    uuid,                               -- the shift that is handed over
    from_employment uuid references employment,     -- whose it is
    to_employment   uuid references employment,     -- whom it is offered to; null for all who may
    sick        boolean not null default false,
    made_at     timestamptz not null,
    made_by     uuid not null references person,
    closed_at   timestamptz,
    closed_by   uuid references person
);
create index opening_on on opening (date) where closed_at is null;
create unique index opening_of on opening (of_shift) where closed_at is null;

-- Who asks for one, and what became of it.
create table opening_ask (
    id            uuid primary key,
    opening_id    uuid not null references opening,
    employment_id uuid not null references employment,
    asked_at      timestamptz not null,
    answered_at   timestamptz,
    answered_by   uuid references person,
    given         boolean not null default false,
    shift_id      uuid,                             -- that it became
    why           text not null default '',
    unique (opening_id, employment_id)
);
create index opening_ask_of on opening_ask (employment_id);

-- Whether a colleague who agrees to take a shift has it at once, or a lead decides.
alter table company add handover_free boolean not null default false;

-- +goose Down
alter table company drop handover_free;
drop table opening_ask, opening;
