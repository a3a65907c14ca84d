-- +goose Up

-- Who asked for what somebody was told of: nobody but whoever told, where it is null. And that
-- the person agreed to it.
alter table shift_told add asked_by uuid references person;
create table shift_agreed (
    told_id       uuid primary key references shift_told,
    employment_id uuid not null references employment,
    by_person     uuid not null references person,
    agreed_at     timestamptz not null
);
create index shift_agreed_of on shift_agreed (employment_id);
create trigger shift_agreed_append_only before update or delete on shift_agreed for each row execute function append_only_but_samples();

-- +goose Down
drop table shift_agreed;
alter table shift_told drop asked_by;
