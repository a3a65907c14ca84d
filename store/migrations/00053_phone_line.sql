-- +goose Up

-- Calls that a phone line took: for whom, what was done or refused and why, and the note
-- that was left.
create table phone_call (
    id        uuid primary key, -- made by the line
    point_id  uuid not null references clock_point,
    caller    text not null,    -- the number that called, "" where it is hidden
    person_id uuid references person, -- once it was known who called
    act       text not null,    -- "" where only a note was left
    outcome   text not null check (outcome in ('recorded', 'claim', 'refused')),
    why       text not null,
    note      text not null check (length(note) <= 1000),
    at        timestamptz not null
);
create index phone_call_at on phone_call (at);
create trigger phone_call_append_only before update or delete on phone_call for each row execute function append_only();

-- +goose Down
drop table phone_call;
