-- +goose Up

-- For how many years what is known of those who left is kept (null: as long as the
-- law asks), and for how many days after their run where somebody was.
alter table company
    add keep_years  int check (keep_years between 1 and 30),
    add keep_places int not null default 90 check (keep_places between 1 and 365);

-- What was erased because it was due: append-only, and names nobody.
create table erasure (
    id      uuid primary key,
    made_at timestamptz not null,
    kind    text        not null check (kind in ('people', 'places', 'files', 'links')),
    n       int         not null check (n > 0),
    upto    date        not null -- what is older than this
);
create trigger erasure_append_only before update or delete on erasure for each row execute function append_only();

-- +goose StatementBegin
-- Append-only, but for what samples recorded, and where somebody was: that goes
-- when they are erased, and when its time has come. Of a punch the place alone can
-- go; how far off site it was, and that it had none, stay.
create or replace function append_only_but_samples() returns trigger language plpgsql as $$
begin
    if tg_op = 'DELETE' and tg_table_name = 'place_seen' and current_setting('manudex.erasing', true) = 'due' then
        return old;
    end if;
    if tg_op = 'UPDATE' and tg_table_name = 'punch' and current_setting('manudex.erasing', true) = 'due'
        and to_jsonb(new) = to_jsonb(old) || '{"lat": null, "lon": null}'::jsonb then
        return new;
    end if;
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

create index place_seen_at on place_seen (at);
create index punch_placed on punch (claimed_at) where lat is not null;

-- +goose Down
drop index punch_placed;
drop index place_seen_at;
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
drop table erasure;
alter table company drop keep_places, drop keep_years;
