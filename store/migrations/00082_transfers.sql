-- +goose Up

-- Accounts that people are paid into, and those they are paid out of: encrypted by a key that isn't in the
-- database; shown is their end.
create table pay_account (
    person_id uuid primary key references person,
    sealed    bytea not null,
    shown     text not null,
    put_by    uuid not null references person,
    put_at    timestamptz not null
);
create table pay_debtor (
    id      uuid primary key,
    name    text not null check (name <> ''),
    sealed  bytea not null,
    shown   text not null,
    gone_at timestamptz
);

-- What people get of a run, as their payroll says.
create table net_pay (
    run_id    uuid not null references run,
    person_id uuid not null references person,
    amount    numeric(16,4) not null check (amount >= 0),
    made_by   uuid not null references person,
    made_at   timestamptz not null,
    primary key (run_id, person_id)
);
create index net_pay_person on net_pay (person_id);

-- A file that holds account numbers is kept encrypted.
alter table run_file add sealed boolean not null default false;

-- +goose Down
alter table run_file drop sealed;
drop table net_pay, pay_debtor, pay_account;
