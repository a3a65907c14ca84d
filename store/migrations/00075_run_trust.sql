-- +goose Up

-- A run of a pay period, one of its own for chosen people, or one that turns another. Its digest takes
-- in what it paid and from what, the run before it and what the audit list was sealed to; basis is what
-- it went by besides: rules, codes, dates, as JSON packed by gzip. Those closed before have neither.
alter table run drop constraint if exists run_of_period;
alter table run drop constraint if exists run_from_date_to_date_key;
alter table run
    add kind text not null default 'period' check (kind in ('period', 'own', 'reversal')),
    add reverses uuid unique references run,
    add why text not null default '',
    add digest bytea,
    add basis bytea,
    add check ((kind = 'reversal') = (reverses is not null));
create index run_of_period on run (period_group, to_date) where kind = 'period';

-- Whom a closed run paid or left out: how their hours without approval were answered, and what their
-- pay was worked out from, as JSON packed by gzip.
create table run_person (
    run_id        uuid not null references run,
    employment_id uuid not null references employment,
    answer        text not null default '' check (answer in ('', 'as_clocked', 'left_out')),
    reason        text not null default '',
    pay_by        date,
    waiting       int not null default 0,          -- seconds that nobody had approved
    input         bytea,
    primary key (run_id, employment_id)
);
create index run_person_of on run_person (employment_id);

-- What is said of hours that nobody has approved, for the run of a period that begins on a day. The
-- latest counts; '' takes it back.
create table run_answer (
    id            uuid primary key,
    seq           bigint generated always as identity,
    period_group  text not null,
    from_date     date not null,
    employment_id uuid not null references employment,
    answer        text not null check (answer in ('', 'as_clocked', 'left_out')),
    reason        text not null default '',
    pay_by        date,
    by_person     uuid not null references person,
    made_at       timestamptz not null
);
create index run_answer_of on run_answer (period_group, from_date, employment_id, seq);
create index run_answer_person on run_answer (employment_id);

-- Somebody looked a run over: the digest of its lines, and by person, so that it can be said what
-- changed since.
create table run_check (
    id           uuid primary key,
    seq          bigint generated always as identity,
    period_group text not null,
    from_date    date not null,
    by_person    uuid not null references person,
    made_at      timestamptz not null,
    gross        numeric(16,4) not null,
    digest       bytea not null
);
create index run_check_of on run_check (period_group, from_date, seq);
create table run_check_person (
    check_id      uuid not null references run_check,
    employment_id uuid not null references employment,
    gross         numeric(16,4) not null,
    digest        bytea not null,
    primary key (check_id, employment_id)
);
create index run_check_person_of on run_check_person (employment_id);

-- What the clerk of a group does on the last day, and what of it is done for a run.
create table run_task (
    id           uuid primary key,
    period_group text not null,
    position     int not null,
    words        text not null check (words <> ''),
    gone_at      timestamptz
);
create table run_tick (
    task_id   uuid not null references run_task,
    from_date date not null,
    by_person uuid not null references person,
    made_at   timestamptz not null,
    primary key (task_id, from_date)
);

-- What was kept of a paid card as it was paid before, until the run that paid its change: a run that
-- is turned gives it back.
create table spent_stint (like settled_stint including defaults, run_id uuid not null references run);
create index spent_stint_of on spent_stint (run_id);
create index spent_stint_employment on spent_stint (employment_id);
create table spent_expense (like settled_expense including defaults, run_id uuid not null references run);
create index spent_expense_of on spent_expense (run_id);
create index spent_expense_employment on spent_expense (employment_id);

alter table card_act drop constraint card_act_move_check;
alter table card_act add constraint card_act_move_check
    check (move in ('sign', 'send_back', 'approve', 'take_back', 'pay', 'pay_as_clocked', 'unpay', 'unpay_change', 'reopen', 'adjust',
                    'remind'));

-- Whether a run is looked over by a second person before it is closed.
alter table company add second_check boolean not null default false;

create trigger run_person_append_only before update or delete on run_person for each row execute function append_only();
create trigger run_answer_append_only before update or delete on run_answer for each row execute function append_only();
create trigger run_check_append_only before update or delete on run_check for each row execute function append_only();
create trigger run_check_person_append_only before update or delete on run_check_person for each row execute function append_only();

-- +goose Down
alter table company drop second_check;
alter table card_act drop constraint card_act_move_check;
alter table card_act add constraint card_act_move_check
    check (move in ('sign', 'send_back', 'approve', 'take_back', 'pay', 'reopen', 'adjust', 'remind')) not valid;
drop table spent_expense, spent_stint, run_tick, run_task, run_check_person, run_check, run_answer, run_person;
drop index run_of_period;
alter table run drop kind, drop reverses, drop why, drop digest, drop basis;
alter table run add constraint run_of_period unique (period_group, from_date, to_date);
