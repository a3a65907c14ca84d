-- +goose Up

-- How a payroll wants its files, by name, each from a day on.
create table pay_layout (
    id        uuid primary key,
    name      text not null check (name <> ''),
    starts_on date not null,
    layout    jsonb not null,
    by_person uuid not null references person,
    made_at   timestamptz not null,
    gone_at   timestamptz
);
create unique index pay_layout_from on pay_layout (name, starts_on) where gone_at is null;

-- How people are paid: into an account, by cheque, by another office. Each names the layout of its file.
create table pay_way (
    name    text primary key check (name <> ''),
    layout  text not null default '',
    gone_at timestamptz
);
alter table employment add pay_way text not null default '';

-- Every file that was made of a closed run, as it was made.
create table run_file (
    run_id  uuid not null references run,
    name    text not null,
    media   text not null,
    data    bytea not null,
    sha256  bytea not null,
    made_by uuid not null references person,
    made_at timestamptz not null,
    primary key (run_id, name)
);
create trigger run_file_append_only before update or delete on run_file for each row execute function append_only();

-- +goose Down
drop table run_file;
alter table employment drop pay_way;
drop table pay_way, pay_layout;
