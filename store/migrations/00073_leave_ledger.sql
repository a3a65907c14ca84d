-- +goose Up

-- What was booked to accounts of leave: a balance is its sum. A day that comes to something else
-- later has a line of the difference.
create table leave_line (
    seq           bigint generated always as identity primary key,
    account_id    uuid not null references leave_account,
    employment_id uuid not null references employment,
    date          date not null,
    what          text not null,
    amount        numeric(14, 6) not null check (amount <> 0),
    booked_at     timestamptz not null
);
create index leave_line_of on leave_line (account_id, seq);
create index leave_line_about on leave_line (employment_id);
create trigger leave_line_append_only before update or delete on leave_line for each row execute function append_only_but_samples();

-- What of a policy is another for one person: fields of it that take the place of its own. Who has
-- one no more is given none; a batch, an act or a file, can be taken back.
alter table leave_account add own jsonb, add batch uuid, alter policy_id drop not null;
create index leave_account_batch on leave_account (batch) where batch is not null;

-- A kind is in hours or days. Where the balance is too low, or too few of a crew would be left,
-- asking is warned or refused. Some kinds need a picture of a paper, some can be given to others.
alter table leave_kind
    add in_days boolean not null default false,
    add low text not null default 'refuse' check (low in ('refuse', 'warn')),
    add few text not null default 'warn' check (few in ('refuse', 'warn')),
    add photo_needed boolean not null default false,
    add may_give boolean not null default false;

-- What a day costs in the unit of its kind; hours where it isn't said. A request may take the
-- place of another.
alter table leave_request_day add amount numeric(14, 6);
alter table leave_request add instead_of uuid references leave_request;
alter table leave_act drop constraint leave_act_does_check,
    add constraint leave_act_does_check check (does in ('approve', 'decline', 'withdraw', 'take_back', 'ask_back'));

create table leave_photo (
    request_id    uuid primary key references leave_request,
    employment_id uuid not null references employment,
    width         int not null,
    height        int not null,
    jpeg          bytea not null,
    made_at       timestamptz not null
);
create index leave_photo_about on leave_photo (employment_id);
create trigger leave_photo_append_only before update or delete on leave_photo for each row execute function append_only_but_samples();

-- How many of a crew, or at a site, have to be left to work on a working day.
alter table unit add least int check (least between 1 and 1000);
alter table site add least int check (least between 1 and 1000);

-- Days on which nobody takes leave, or that are to be thought of, of a crew or of all.
create table leave_window (
    id      uuid primary key,
    name    text not null check (name <> ''),
    from_on date not null,
    to_on   date not null check (to_on >= from_on),
    unit_id uuid references unit,
    closed  boolean not null,
    made_by uuid not null references person,
    made_at timestamptz not null
);
create index leave_window_on on leave_window (to_on);

-- Hours that somebody gives a colleague, once somebody else agrees.
create table leave_gift (
    id            uuid primary key,
    employment_id uuid not null references employment,
    to_employment uuid not null references employment,
    kind_id       uuid not null references leave_kind,
    amount        numeric(14, 6) not null check (amount > 0),
    note          text not null default '',
    asked_at      timestamptz not null,
    does          text check (does in ('approve', 'decline', 'withdraw')),
    why           text not null default '',
    done_on       date,
    done_by       uuid references person,
    done_at       timestamptz
);
create index leave_gift_from on leave_gift (employment_id);
create index leave_gift_to on leave_gift (to_employment);
create index leave_gift_open on leave_gift (asked_at) where does is null;

alter table import drop constraint import_kind_check;
alter table import add constraint import_kind_check check (kind in ('people', 'jobs', 'hours', 'year', 'holidays', 'leave'));

-- +goose Down
delete from import where kind = 'leave';
alter table import drop constraint import_kind_check;
alter table import add constraint import_kind_check check (kind in ('people', 'jobs', 'hours', 'year', 'holidays'));
drop table leave_gift, leave_window, leave_photo, leave_line;
alter table site drop least;
alter table unit drop least;
alter table leave_request drop instead_of;
alter table leave_request_day drop amount;
alter table leave_act drop constraint leave_act_does_check,
    add constraint leave_act_does_check check (does in ('approve', 'decline', 'withdraw', 'take_back'));
alter table leave_kind drop in_days, drop low, drop few, drop photo_needed, drop may_give;
alter table leave_account drop own, drop batch, alter policy_id set not null;
