-- +goose Up

-- Sample people and jobs to try things with: marked, in no run and no file,
-- and gone with one act.
alter table person add sample boolean not null default false;
alter table unit add sample boolean not null default false;
alter table job add sample boolean not null default false;
alter table customer add sample boolean not null default false;

-- +goose StatementBegin
-- Whoever has punched stays what they are: real people can't be made samples
-- and so be deleted.
create function sample_guard() returns trigger language plpgsql as $$
begin
    if new.sample is distinct from old.sample
        and exists (select 1 from employment e join punch u on u.employment_id = e.id where e.person_id = old.id) then
        raise exception 'somebody with hours can''t become a sample, or stop being one';
    end if;
    return new;
end $$;
-- +goose StatementEnd
create trigger sample_guard before update of sample on person for each row execute function sample_guard();

-- +goose StatementBegin
-- Append-only, but for what samples recorded.
create function append_only_but_samples() returns trigger language plpgsql as $$
begin
    if tg_op = 'DELETE'
        and exists (select 1 from employment e join person p on p.id = e.person_id where e.id = old.employment_id and p.sample) then
        return old;
    end if;
    raise exception '% is append-only: % refused', tg_table_name, lower(tg_op)
        using errcode = 'restrict_violation';
end $$;
-- +goose StatementEnd
drop trigger punch_append_only on punch;
drop trigger note_append_only on note;
drop trigger card_act_append_only on card_act;
drop trigger place_seen_append_only on place_seen;
create trigger punch_append_only before update or delete on punch for each row execute function append_only_but_samples();
create trigger note_append_only before update or delete on note for each row execute function append_only_but_samples();
create trigger card_act_append_only before update or delete on card_act for each row execute function append_only_but_samples();
create trigger place_seen_append_only before update or delete on place_seen for each row execute function append_only_but_samples();

-- +goose StatementBegin
create or replace function change_guard() returns trigger language plpgsql as $$
begin
    if tg_op = 'UPDATE' and new.old_value = '(erased)' and new.new_value = '(erased)'
       and (new.id, new.batch_id, new.person_id, new.field, new.made_at, new.made_by) =
            (old.id, old.batch_id, old.person_id, old.field, old.made_at, old.made_by) then
        return new;
    end if;
    if tg_op = 'DELETE'
        and exists (select 1 from person where id = old.person_id and sample) then
        return old;
    end if;
    raise exception 'change is append-only: % refused', lower(tg_op);
end $$;
-- +goose StatementEnd

-- +goose Down
drop trigger punch_append_only on punch;
drop trigger note_append_only on note;
drop trigger card_act_append_only on card_act;
drop trigger place_seen_append_only on place_seen;
create trigger punch_append_only before update or delete on punch for each row execute function append_only();
create trigger note_append_only before update or delete on note for each row execute function append_only();
create trigger card_act_append_only before update or delete on card_act for each row execute function append_only();
create trigger place_seen_append_only before update or delete on place_seen for each row execute function append_only();
drop trigger sample_guard on person;
drop function append_only_but_samples, sample_guard;
-- +goose StatementBegin
create or replace function change_guard() returns trigger language plpgsql as $$
begin
    if tg_op = 'UPDATE' and new.old_value = '(erased)' and new.new_value = '(erased)'
       and (new.id, new.batch_id, new.person_id, new.field, new.made_at, new.made_by) =
            (old.id, old.batch_id, old.person_id, old.field, old.made_at, old.made_by) then
        return new;
    end if;
    raise exception 'change is append-only: % refused', lower(tg_op);
end $$;
-- +goose StatementEnd
alter table customer drop sample;
alter table job drop sample;
alter table unit drop sample;
alter table person drop sample;
