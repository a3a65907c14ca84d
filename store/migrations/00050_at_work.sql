-- +goose Up

-- What somebody said of a stint beyond its time and its work, a bit for each: 1 called in,
-- 2 had no meal, 4 had their meal, 8 to be billed, 16 not to be billed.
alter table punch        add marks smallint not null default 0;
alter table claim        add marks smallint not null default 0;
alter table stint        add marks smallint not null default 0;
alter table settled_stint add marks smallint not null default 0;
alter table amendment    add marks smallint not null default 0;

alter table amendment drop constraint amendment_does_check;
alter table amendment add constraint amendment_does_check check (does in ('move_start', 'move_end', 'end', 'reassign', 'add', 'split',
    'join', 'remove', 'take_back', 'bring_in', 'mark'));

-- Whoever clocks to it says whether it is billed; travel between sites is clocked on it, one
-- press away.
alter table job add billing_asked boolean not null default false, add travel boolean not null default false;

-- Hours are kept by whether they are to be billed, too.
alter table hours add billing smallint not null default 0;
alter table hours drop constraint hours_key;
alter table hours add constraint hours_key
    unique nulls not distinct (employment_id, date, job_id, task_id, class_id, kind, point, by_hand, billing);

alter table company alter location_interval set default 720, alter location_moved set default 200;
update company set location_interval = 720, location_moved = 200 where location_interval = 600 and location_moved = 250;

-- Kinds of expenses and the pay code of each; none, and nobody is asked for any.
alter table company add expense_kinds text not null default '';

-- An expense on a card, approved and paid with it. Taken back, it stays to be read.
create table expense (
    id            uuid primary key,
    employment_id uuid not null references employment,
    date          date not null,
    kind          text not null check (kind <> ''),
    pay_code      text not null,
    amount        numeric(12,2) not null check (amount > 0),
    job_id        uuid not null references job,
    task_id       uuid references task,
    words         text not null default '',
    by_person     uuid not null references person,
    made_at       timestamptz not null
);
create index expense_card on expense (employment_id, date);
create table expense_back (
    expense_id    uuid primary key references expense,
    employment_id uuid not null references employment,
    by_person     uuid not null references person,
    made_at       timestamptz not null,
    why           text not null
);
-- An expense as it was paid, while a change of its card waits for somebody's approval.
create table settled_expense (
    id            uuid primary key references expense,
    employment_id uuid not null references employment,
    date          date not null
);

-- A photo on a card: turned upright and without what the camera wrote into it.
create table photo (
    id            uuid primary key,
    employment_id uuid not null references employment,
    date          date not null,
    at            timestamptz not null, -- when it was added: of the stint that ran then
    expense_id    uuid references expense, -- its receipt
    width         int not null,
    height        int not null,
    jpeg          bytea not null,
    by_person     uuid not null references person,
    made_at       timestamptz not null
);
create index photo_card on photo (employment_id, date);

-- +goose StatementBegin
-- As before, and photos go too when whoever is on the card is erased.
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
        where e.id = old.employment_id and (p.sample or tg_table_name in ('place_seen', 'photo') and p.erased_at is not null)) then
        return old;
    end if;
    raise exception '% is append-only: % refused', tg_table_name, lower(tg_op)
        using errcode = 'restrict_violation';
end $$;
-- +goose StatementEnd
create trigger expense_append_only before update or delete on expense for each row execute function append_only_but_samples();
create trigger expense_back_append_only before update or delete on expense_back for each row execute function append_only_but_samples();
create trigger photo_append_only before update or delete on photo for each row execute function append_only_but_samples();

-- +goose Down
-- +goose StatementBegin
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
drop table photo, settled_expense, expense_back, expense;
alter table company drop expense_kinds;
alter table hours drop constraint hours_key;
alter table hours drop billing;
alter table hours add constraint hours_key
    unique nulls not distinct (employment_id, date, job_id, task_id, class_id, kind, point, by_hand);
alter table job drop travel, drop billing_asked;
alter table amendment drop constraint amendment_does_check;
alter table amendment add constraint amendment_does_check check (does in ('move_start', 'move_end', 'end', 'reassign', 'add', 'split',
    'join', 'remove', 'take_back', 'bring_in')) not valid;
alter table amendment drop marks;
alter table settled_stint drop marks;
alter table stint drop marks;
alter table claim drop marks;
alter table punch drop marks;
