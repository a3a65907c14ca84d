-- +goose Up

-- Corrections laid over punches, with who, when and why; see core/clock. Never
-- changed and never deleted: one is undone by another that takes it back.
create table amendment (
    id            uuid primary key,
    employment_id uuid not null references employment,
    date          date not null, -- the card on which it was made
    does          text not null check (does in ('move_start', 'move_end', 'end', 'reassign', 'add', 'split', 'join', 'remove',
                                                'take_back')),
    of_id         uuid,          -- the stint or amendment
    at            timestamptz,
    until         timestamptz,
    kind          text check (kind in ('work', 'meal', 'rest')),
    job_id        uuid references job,
    task_id       uuid references task,
    class_id      uuid references classification,
    by_person     uuid not null references person,
    made_at       timestamptz not null,
    why           text not null check (length(why) <= 1000),
    batch_id      uuid not null, -- what one act did
    seconds       int not null,  -- by how much it changed the time worked
    from_at       timestamptz not null, -- all that the stints that it changed rest on
    to_at         timestamptz not null check (to_at >= from_at)
);
create index amendment_of on amendment (employment_id, to_at);
create index amendment_day on amendment (employment_id, date);
create index amendment_batch on amendment (batch_id);

-- A change that somebody asks for, of their own hours or of others' whose hours
-- they don't change themselves. Kept whatever is answered.
create table request (
    id            uuid primary key,
    employment_id uuid not null references employment,
    date          date not null,
    does          text not null check (does in ('move_start', 'move_end', 'end', 'reassign', 'add', 'split', 'join', 'remove')),
    of_id         uuid,
    at            timestamptz,
    until         timestamptz,
    kind          text check (kind in ('work', 'meal', 'rest')),
    job_id        uuid references job,
    task_id       uuid references task,
    class_id      uuid references classification,
    by_person     uuid not null references person,
    made_at       timestamptz not null,
    why           text not null check (why <> '' and length(why) <= 1000)
);
create index request_of on request (employment_id, date);
create table request_answer (
    request_id    uuid primary key references request,
    employment_id uuid not null references employment,
    by_person     uuid not null references person,
    made_at       timestamptz not null,
    batch_id      uuid, -- what it led to; null: declined
    reason        text not null default ''
);

-- What somebody says against a change that others made to their hours.
create table objection (
    id            uuid primary key,
    employment_id uuid not null references employment,
    date          date not null,
    by_person     uuid not null references person,
    made_at       timestamptz not null,
    body          text not null check (body <> '' and length(body) <= 1000)
);
create index objection_of on objection (employment_id, date);
create table objection_answer (
    objection_id  uuid primary key references objection,
    employment_id uuid not null references employment,
    by_person     uuid not null references person,
    made_at       timestamptz not null,
    body          text not null check (body <> '' and length(body) <= 1000)
);

-- Who is looking at a card right now: a mark over it that lapses, and no record.
create table card_hold (
    employment_id uuid not null references employment,
    date          date not null,
    by_person     uuid not null references person,
    since         timestamptz not null,
    primary key (employment_id, date)
);

alter table stint add base_at timestamptz; -- since when punches and amendments count that make it
alter table stint add clocked_start timestamptz; -- where it was clocked to begin, when an amendment moved that
alter table stint add clocked_end timestamptz;
alter table stint add implied boolean not null default false; -- nobody said that it ended: the next was begun
alter table stint add counted boolean not null default true; -- false: past the longest shift, and nobody said that it ended
update stint set base_at = attendance_at;
alter table stint alter base_at set not null;

-- Hours that are older than this only an owner changes; 0 for no limit.
alter table company add change_days int not null default 62 check (change_days between 0 and 3660);

-- What somebody waits for on a card.
alter table card add requests int not null default 0;
alter table card add objections int not null default 0;

-- Answers to the claims of samples go with them.
alter table claim_answer add employment_id uuid references employment;
drop trigger claim_answer_append_only on claim_answer;
update claim_answer a set employment_id = c.employment_id from claim c where c.id = a.claim_id;
alter table claim_answer alter employment_id set not null;

-- +goose StatementBegin
do $$
declare name text;
begin
    foreach name in array array['amendment', 'claim_answer', 'request', 'request_answer', 'objection', 'objection_answer'] loop
        execute format('create trigger %1$s_append_only before update or delete on %1$s
                        for each row execute function append_only_but_samples()', name);
    end loop;
end $$;
-- +goose StatementEnd

-- +goose Down
alter table company drop change_days;
drop trigger claim_answer_append_only on claim_answer;
alter table claim_answer drop employment_id;
create trigger claim_answer_append_only before update or delete on claim_answer for each row execute function append_only();
alter table card drop requests, drop objections;
alter table stint drop base_at, drop clocked_start, drop clocked_end, drop implied, drop counted;
drop table card_hold, objection_answer, objection, request_answer, request, amendment;
