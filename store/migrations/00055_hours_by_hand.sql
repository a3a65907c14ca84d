-- +goose Up

-- Hours of which somebody says how long they were, and not from when to when: of a day, on a
-- job and a task, booked to an account where one is said. The newest of a day and what it is
-- on counts.
create table reported (
    id            uuid primary key,
    employment_id uuid not null references employment,
    date          date not null,
    job_id        uuid references job,
    task_id       uuid references task,
    class_id      uuid references classification,
    account       text not null default '',
    seconds       int not null check (seconds between 0 and 86400),
    by_person     uuid not null references person,
    made_at       timestamptz not null
);
create index reported_day on reported (employment_id, date);
create index reported_of_job on reported (job_id);
create trigger reported_append_only before update or delete on reported for each row execute function append_only_but_samples();

alter table amendment drop constraint amendment_does_check;
alter table amendment add constraint amendment_does_check check (does in ('move_start', 'move_end', 'end', 'reassign', 'add', 'split',
    'join', 'remove', 'take_back', 'bring_in', 'mark', 'report', 'by_plan'));

-- To which account hours are booked, where somebody said one for them.
alter table amendment     add account text not null default '';
alter table stint         add account text not null default '';
alter table settled_stint add account text not null default '';
alter table pay_line      add said_account text not null default '';

-- The account of a job; the short words that the place keeps for whole ones; and whether hours
-- without one take the crew's, or are not signed.
alter table job add account text not null default '';
alter table company add account_words text not null default '',
                    add no_account text not null default 'crew' check (no_account in ('crew', 'stop'));

-- +goose Down
alter table company drop no_account, drop account_words;
alter table job drop account;
alter table pay_line drop said_account;
alter table settled_stint drop account;
alter table stint drop account;
alter table amendment drop account;
alter table amendment drop constraint amendment_does_check;
alter table amendment add constraint amendment_does_check check (does in ('move_start', 'move_end', 'end', 'reassign', 'add', 'split',
    'join', 'remove', 'take_back', 'bring_in', 'mark')) not valid;
drop table reported;
