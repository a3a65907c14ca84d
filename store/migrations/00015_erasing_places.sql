-- +goose Up
-- Where somebody was along the way goes when their personal data is erased.
-- +goose StatementBegin
create or replace function append_only_but_samples() returns trigger language plpgsql as $$
begin
    if tg_op = 'DELETE'
        and exists (
        select 1 from employment e join person p on p.id = e.person_id
        where e.id = old.employment_id and (p.sample or tg_table_name = 'place_seen' and p.erased_at is not null)) then
        return old;
    end if;
    raise exception '% is append-only: % refused', tg_table_name, lower(tg_op)
        using errcode = 'restrict_violation';
end $$;
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
create or replace function append_only_but_samples() returns trigger language plpgsql as $$
begin
    if tg_op = 'DELETE'
        and exists (select 1 from employment e join person p on p.id = e.person_id where e.id = old.employment_id and p.sample) then
        return old;
    end if;
    raise exception '% is append-only: % refused', tg_table_name, lower(tg_op)
        using errcode = 'restrict_violation';
end $$;
-- +goose StatementEnd
