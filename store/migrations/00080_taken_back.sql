-- +goose Up

-- What becomes of money that a correction takes back, for the run of a period that begins on a day: the
-- latest counts. Where it isn't taken, or over several runs, adjustments of the batch make up for it.
create table run_taken_back (
    id            uuid primary key,
    seq           bigint generated always as identity,
    period_group  text not null,
    from_date     date not null,
    employment_id uuid not null references employment,
    amount        numeric(16,4) not null check (amount > 0),
    how           text not null check (how in ('now', 'runs', 'not')),
    runs          int not null default 1 check (runs between 1 and 52),
    by_person     uuid not null references person,
    made_at       timestamptz not null
);
create index run_taken_back_of on run_taken_back (period_group, from_date, employment_id, seq);
create index run_taken_back_person on run_taken_back (employment_id);
create trigger run_taken_back_append_only before update or delete on run_taken_back for each row execute function append_only();

-- +goose Down
drop table run_taken_back;
