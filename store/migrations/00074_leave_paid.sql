-- +goose Up

-- At which rate leave of a kind is paid: that of the day, the regular rate of its week, or the
-- average of so many paid weeks; overtime that is banked comes to one kind. A day keeps what held
-- when it was booked.
alter table leave_kind
    add rate_by text not null default '' check (rate_by in ('', 'regular_rate', 'paid_weeks')),
    add rate_weeks int not null default 12 check (rate_weeks between 1 and 104),
    add banks boolean not null default false;
create unique index leave_kind_banks on leave_kind (banks) where banks;
alter table leave_day
    add rate_by text not null default '',
    add rate_weeks int not null default 0;

-- Whether somebody's overtime is banked as time off in the place of pay.
alter table terms add banks boolean not null default false;

-- What is banked, and overtime by which leave is earned, stand in runs.
create index pay_line_overtime on pay_line (employment_id, date) where class <> 'regular';

-- Why somebody asked for leave, or theirs was put right, can be erased with them; a paper too.
drop trigger leave_photo_append_only on leave_photo;
-- +goose StatementBegin
create function append_only_but_words() returns trigger language plpgsql as $$
begin
    if tg_op = 'UPDATE' and to_jsonb(new) - 'note' - 'why' = to_jsonb(old) - 'note' - 'why'
       and coalesce(to_jsonb(new) ->> 'note', '') in ('', '(erased)') and coalesce(to_jsonb(new) ->> 'why', '') in ('', '(erased)') then
        return new;
    end if;
    if tg_op = 'DELETE' and exists (
        select 1 from employment e join person p on p.id = e.person_id where e.id = old.employment_id and p.sample) then
        return old;
    end if;
    raise exception '% is append-only: % refused', tg_table_name, lower(tg_op) using errcode = 'restrict_violation';
end $$;
-- +goose StatementEnd
drop trigger leave_request_append_only on leave_request;
drop trigger leave_act_append_only on leave_act;
drop trigger leave_adjustment_append_only on leave_adjustment;
create trigger leave_request_append_only before update or delete on leave_request for each row execute function append_only_but_words();
create trigger leave_act_append_only before update or delete on leave_act for each row execute function append_only_but_words();
create trigger leave_adjustment_append_only before update or delete on leave_adjustment
    for each row execute function append_only_but_words();

-- +goose Down
drop trigger leave_request_append_only on leave_request;
drop trigger leave_act_append_only on leave_act;
drop trigger leave_adjustment_append_only on leave_adjustment;
drop function append_only_but_words();
create trigger leave_request_append_only before update or delete on leave_request for each row execute function append_only_but_samples();
create trigger leave_act_append_only before update or delete on leave_act for each row execute function append_only_but_samples();
create trigger leave_adjustment_append_only before update or delete on leave_adjustment
    for each row execute function append_only_but_samples();
create trigger leave_photo_append_only before update or delete on leave_photo for each row execute function append_only_but_samples();
drop index pay_line_overtime;
alter table terms drop banks;
alter table leave_day drop rate_by, drop rate_weeks;
drop index leave_kind_banks;
alter table leave_kind drop rate_by, drop rate_weeks, drop banks;
