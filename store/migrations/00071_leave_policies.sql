-- +goose Up

-- How leave of a kind is earned and kept, as manudex accrue reads it. A policy never changes: who
-- shall have another is given another.
create table leave_policy (
    id      uuid primary key,
    kind_id uuid not null references leave_kind,
    name    text not null check (name <> ''),
    policy  jsonb not null,
    made_by uuid not null references person,
    made_at timestamptz not null,
    unique (kind_id, name)
);

-- Who has which policy, from the day after which on, with the balance at its end. Of a kind the
-- last holds.
create table leave_account (
    id            uuid primary key,
    employment_id uuid not null references employment,
    kind_id       uuid not null references leave_kind,
    policy_id     uuid not null references leave_policy,
    from_on       date not null,
    opening       numeric(14, 6) not null,
    given_by      uuid not null references person,
    given_at      timestamptz not null,
    seq           bigint generated always as identity
);
create index leave_account_of on leave_account (employment_id, kind_id, seq);
create trigger leave_account_append_only before update or delete on leave_account
    for each row execute function append_only_but_samples();

-- Hours that are granted, or put right, with the reason.
create table leave_adjustment (
    id            uuid primary key,
    employment_id uuid not null references employment,
    kind_id       uuid not null references leave_kind,
    date          date not null,
    amount        numeric(14, 6) not null check (amount <> 0),
    why           text not null check (why <> ''),
    made_by       uuid not null references person,
    made_at       timestamptz not null
);
create index leave_adjustment_of on leave_adjustment (employment_id, kind_id, date);
create trigger leave_adjustment_append_only before update or delete on leave_adjustment
    for each row execute function append_only_but_samples();

-- +goose Down
drop table leave_adjustment, leave_account, leave_policy;
