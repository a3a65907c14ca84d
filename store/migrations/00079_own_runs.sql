-- +goose Up

-- A run for chosen people up to a day, prepared and not closed yet: somebody's final pay, hours that
-- were missed.
create table own_run (
    id           uuid primary key,
    period_group text not null,
    to_date      date not null,
    final        boolean not null default false, -- they have left: premiums are paid before their week ends
    why          text not null check (why <> ''),
    by_person    uuid not null references person,
    made_at      timestamptz not null,
    gone_at      timestamptz,                    -- closed, or given up
    run_id       uuid references run
);
create table own_run_person (
    own_id        uuid not null references own_run,
    employment_id uuid not null references employment,
    primary key (own_id, employment_id)
);
create index own_run_person_of on own_run_person (employment_id);

-- +goose Down
drop table own_run_person, own_run;
