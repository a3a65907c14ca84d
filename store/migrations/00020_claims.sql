-- +goose Up
-- How far a device's clocks contradict each other on a punch, in seconds.
alter table punch add doubt int not null default 0;

-- What waited in a device's queue for longer is a claim.
alter table company add queue_limit int not null default 259200 check (queue_limit between 3600 and 2592000);

-- A punch that counts only once somebody else has taken it. Never changed, and
-- never deleted; who takes or declines it is kept beside it.
create table claim (
    id            uuid primary key,
    employment_id uuid not null references employment,
    date          date not null,
    act           text not null check (act in ('in', 'out', 'switch', 'break_start', 'break_end')),
    break_kind    text check (break_kind in ('meal', 'rest')),
    job_id        uuid, -- as it came, be there such a job or not
    task_id       uuid,
    class_id      uuid,
    by_person     uuid not null references person,
    claimed_at    timestamptz not null,
    device_at     timestamptz,
    received_at   timestamptz not null,
    why           text not null, -- 'late', 'before', 'after', 'refused' or 'said'
    words         text not null default '',
    check (claimed_at <= received_at)
);
create index claim_of on claim (employment_id, date);
create table claim_answer (
    claim_id  uuid primary key references claim,
    by_person uuid not null references person,
    made_at   timestamptz not null,
    punch_id  uuid references punch, -- null: declined
    reason    text not null default ''
);
create trigger claim_append_only before update or delete on claim for each row execute function append_only_but_samples();
create trigger claim_answer_append_only before update or delete on claim_answer for each row execute function append_only();

-- +goose Down
drop table claim_answer, claim;
alter table company drop queue_limit;
alter table punch drop doubt;
