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
-- +goose StatementBegin
-- Append-only, but for the number that called, which goes when whoever called is erased.
create function phone_call_guard() returns trigger language plpgsql as $$
begin
    if tg_op = 'UPDATE' and to_jsonb(new) = to_jsonb(old) || '{"caller": ""}'::jsonb
        and exists (select 1 from person where id = old.person_id and erased_at is not null) then
        return new;
    end if;
    raise exception 'phone_call is append-only: % refused', lower(tg_op) using errcode = 'restrict_violation';
end $$;
-- +goose StatementEnd
create trigger phone_call_append_only before update or delete on phone_call for each row execute function phone_call_guard();

-- +goose Down
drop table phone_call;
drop function phone_call_guard();
