-- +goose Up
create extension if not exists btree_gist;

-- The place: one row. Figures by which cards are judged are in seconds.
create table company (
    only_row          boolean primary key default true check (only_row),
    name              text not null,
    zone              text not null,
    currency          text not null default 'USD' check (currency ~ '^[A-Z]{3}$'),
    currency_decimals smallint not null default 2 check (currency_decimals between 0 and 4),
    whom_to_ask       text not null default '',
    period_kind       text not null default 'fortnight',
    period_anchor     date not null,
    cut_over          int not null default 14400 check (cut_over between 0 and 43200),
    new_attendance_after int not null default 14400,
    longest_shift     int not null default 57600,
    late_after        int not null default 900,
    over_plan_after   int not null default 3600,
    meal_due_after    int not null default 18000,
    meal_waived_up_to int not null default 21600,
    missing_after     int not null default 600,
    sign_required     boolean not null default true
);

-- Rules are data, dated: the set in force on a workweek's first day holds.
create table rule_set (
    id        uuid primary key,
    name      text not null,
    starts_on date not null unique,
    rules     jsonb not null
);

create table site (
    id     uuid primary key,
    name   text not null unique,
    zone   text not null,
    lat    double precision,
    lon    double precision,
    fence_metres double precision not null default 0
);

create table unit (
    id      uuid primary key,
    kind    text not null check (kind in ('department', 'crew')),
    name    text not null unique,
    site_id uuid references site
);

create table person (
    id            uuid primary key,
    number        text not null unique,
    given_name    text not null,
    family_name   text not null,
    email         text,
    mobile        text,
    level         text not null check (level in ('owner', 'manager', 'lead', 'worker')),
    password_hash text,
    ended_on      date
);
create unique index person_email on person (lower(email));

create table unit_lead (
    unit_id   uuid not null references unit,
    person_id uuid not null references person,
    primary key (unit_id, person_id)
);
create index unit_lead_person on unit_lead (person_id);

create table employment (
    id        uuid primary key,
    person_id uuid not null references person,
    unit_id   uuid not null references unit,
    site_id   uuid not null references site,
    title     text not null default '',
    hourly    boolean not null default true,
    starts_on date not null,
    ends_on   date
);
create index employment_person on employment (person_id);
create index employment_unit on employment (unit_id);

create table rate (
    employment_id uuid not null references employment,
    starts_on     date not null,
    amount        numeric(12,6) not null check (amount >= 0),
    primary key (employment_id, starts_on)
);

-- Expected seconds for Sunday to Saturday.
create table pattern (
    employment_id uuid not null references employment,
    starts_on     date not null,
    seconds       int[] not null check (cardinality(seconds) = 7),
    primary key (employment_id, starts_on)
);

create table classification (
    id   uuid primary key,
    code text not null unique,
    name text not null
);

create table customer (
    id   uuid primary key,
    name text not null unique
);

create table job (
    id          uuid primary key,
    number      text not null unique,
    name        text not null,
    customer_id uuid references customer,
    site_id     uuid references site,
    public_work boolean not null default false,
    state       text not null default 'open' check (state in ('open', 'closed'))
);

create table task (
    id        uuid primary key,
    job_id    uuid not null references job,
    name      text not null,
    cost_code text not null default '',
    position  int not null,
    state     text not null default 'open' check (state in ('open', 'closed')),
    unique (job_id, name)
);

-- The wage determination of a public work: the least basic rate per class.
create table job_wage (
    job_id    uuid not null references job,
    class_id  uuid not null references classification,
    base_rate numeric(12,6) not null check (base_rate >= 0),
    primary key (job_id, class_id)
);

-- What people record. Never changed, never deleted: see the trigger.
create table punch (
    id            uuid primary key,
    employment_id uuid not null references employment,
    act           text not null check (act in ('in', 'out', 'switch', 'break_start', 'break_end')),
    break_kind    text check (break_kind in ('meal', 'rest')),
    job_id        uuid references job,
    task_id       uuid references task,
    class_id      uuid references classification,
    point         text not null,
    by_person     uuid not null references person,
    claimed_at    timestamptz not null,
    device_at     timestamptz,
    received_at   timestamptz not null,
    ahead         boolean not null default false,
    lat           double precision,
    lon           double precision,
    off_site      double precision not null default 0, -- metres, when outside the fence
    check (claimed_at <= received_at),
    check (claimed_at = date_trunc('second', claimed_at)),
    check ((act = 'break_start') = (break_kind is not null))
);
create index punch_of on punch (employment_id, claimed_at);

create table note (
    id            uuid primary key,
    employment_id uuid not null references employment,
    date          date not null,
    by_person     uuid not null references person,
    made_at       timestamptz not null,
    body          text not null check (body <> '' and length(body) <= 1000)
);
create index note_of on note (employment_id, date);

-- Derived from punches; `manudex verify` works them out again and compares.
create table stint (
    id            uuid primary key,
    person_id     uuid not null references person,
    employment_id uuid not null references employment,
    date          date not null,
    attendance_at timestamptz not null,
    kind          text not null check (kind in ('work', 'meal', 'rest')),
    job_id        uuid references job,
    task_id       uuid references task,
    class_id      uuid references classification,
    start_at      timestamptz not null,
    end_at        timestamptz,
    start_by      text not null,
    end_by        text,
    check (end_at > start_at),
    constraint stint_no_overlap exclude using gist
        (person_id with =, tstzrange(start_at, end_at) with &&) deferrable initially deferred
);
-- The constraint lets one person have one open stint; the index finds it.
create unique index stint_open on stint (person_id) where end_at is null;
create index stint_of on stint (employment_id, start_at);
create index stint_day on stint (date, employment_id);

create table shift (
    id            uuid primary key,
    employment_id uuid not null references employment,
    date          date not null,
    start_at      timestamptz not null,
    end_at        timestamptz not null check (end_at > start_at),
    job_id        uuid references job,
    task_id       uuid references task
);
create index shift_day on shift (date, employment_id);
create index shift_of on shift (employment_id, start_at);

create table leave_day (
    id            uuid primary key,
    employment_id uuid not null references employment,
    date          date not null,
    name          text not null,
    pay_code      text not null,
    paid          boolean not null default true,
    seconds       int not null check (seconds > 0),
    unique (employment_id, date, pay_code)
);
create index leave_day_date on leave_day (date);

-- A day card: totals and flags worked out, standing replayed from card_act.
create table card (
    employment_id uuid not null references employment,
    date          date not null,
    worked        int not null default 0,
    break         int not null default 0,
    expected      int not null default 0,
    leave         int not null default 0,
    leave_name    text not null default '',
    shift_from    timestamptz,
    shift_to      timestamptz,
    first_at      timestamptz,
    last_at       timestamptz,
    open_since    timestamptz,
    open_kind     text not null default '',
    flags         jsonb not null default '[]',
    state         text not null default 'open' check (state in ('open', 'signed', 'approved', 'paid')),
    signed        boolean not null default false,
    late_change   boolean not null default false,
    adjust        boolean not null default false,
    primary key (date, employment_id)
);
create index card_of on card (employment_id, date);
create index card_running on card (open_since) where open_since is not null;
create index card_unpaid on card (date, employment_id) where state <> 'paid' or adjust;

create table run (
    id         uuid primary key,
    number     int generated always as identity unique,
    from_date  date not null,
    to_date    date not null check (to_date >= from_date),
    closed_at  timestamptz not null,
    closed_by  uuid not null references person,
    gross      numeric(16,4) not null,
    unique (from_date, to_date)
);

create table card_act (
    id            uuid primary key,
    employment_id uuid not null references employment,
    date          date not null,
    move          text not null check (move in ('sign', 'send_back', 'approve', 'take_back', 'pay', 'reopen', 'adjust')),
    by_person     uuid not null references person,
    made_at       timestamptz not null,
    batch_id      uuid not null,
    reason        text not null default '',
    run_id        uuid references run,
    seq           bigint generated always as identity
);
create index card_act_of on card_act (employment_id, date, seq);
create index card_act_batch on card_act (batch_id);

create table pay_line (
    run_id        uuid not null references run,
    position      int not null,
    employment_id uuid not null references employment,
    week          date not null,
    date          date not null,
    job_id        uuid references job,
    task_id       uuid references task,
    class_id      uuid references classification,
    pay_code      text not null,
    kind          text not null,
    class         text not null,
    seconds       int not null,
    rate          numeric(18,6) not null,
    amount        numeric(16,4) not null,
    primary key (run_id, position)
);
create index pay_line_week on pay_line (week, employment_id);

create table audit (
    seq       bigint generated always as identity primary key,
    made_at   timestamptz not null,
    person_id uuid references person,
    act       text not null,
    about     uuid,
    detail    jsonb not null default '{}'
);
create index audit_about on audit (about, seq);

create table sessions (
    token  text primary key,
    data   bytea not null,
    expiry timestamptz not null
);
create index sessions_expiry on sessions (expiry);

-- +goose StatementBegin
create function append_only() returns trigger language plpgsql as $$
begin
    raise exception '% is append-only: % refused', tg_table_name, lower(tg_op)
        using errcode = 'restrict_violation';
end $$;
-- +goose StatementEnd

create trigger punch_append_only before update or delete on punch for each row execute function append_only();
create trigger note_append_only before update or delete on note for each row execute function append_only();
create trigger card_act_append_only before update or delete on card_act for each row execute function append_only();
create trigger pay_line_append_only before update or delete on pay_line for each row execute function append_only();
create trigger run_append_only before update or delete on run for each row execute function append_only();
create trigger audit_append_only before update or delete on audit for each row execute function append_only();

-- +goose Down
drop table sessions, audit, pay_line, card_act, run, card, leave_day, shift, stint, note, punch,
    job_wage, task, job, customer, classification, pattern, rate, employment, unit_lead, person, unit, site, rule_set, company;
drop function append_only();
