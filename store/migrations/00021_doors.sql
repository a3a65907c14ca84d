-- +goose Up

-- One-time codes (RFC 6238). The last step that was used keeps a code from
-- being used twice.
alter table person
    add code_secret  text,
    add code_since   timestamptz, -- null: not confirmed yet
    add code_step    bigint not null default 0;
create table recovery_code (
    person_id uuid not null references person,
    hash      bytea not null,
    used_at   timestamptz,
    primary key (person_id, hash)
);
alter table company add codes_required boolean not null default false;

-- Browsers that somebody has signed in from.
create table device (
    id         uuid primary key,
    person_id  uuid not null references person,
    token_hash bytea not null,
    end_hash   bytea not null, -- of the link by which all sessions are ended
    agent      text not null,
    first_at   timestamptz not null,
    last_at    timestamptz not null,
    unique (person_id, token_hash)
);
create unique index device_end on device (end_hash);

-- Rights that were given stay listed after they are taken.
alter table grant_given
    add given_by uuid references person,
    add given_at timestamptz not null default now(),
    add used_at  timestamptz,
    add taken_by uuid references person,
    add taken_at timestamptz;
alter table grant_given drop constraint grant_given_person_id_what_unit_id_site_id_key;
create unique index grant_once on grant_given (person_id, what, unit_id, site_id) nulls not distinct where taken_at is null;

-- An auditor sees and changes nothing, until a date.
alter table person drop constraint person_level_check;
alter table person add constraint person_level_check check (level in ('owner', 'manager', 'lead', 'worker', 'auditor'));
alter table person add constraint person_auditor_ends check (level <> 'auditor' or ended_on is not null);

-- +goose Down
delete from grant_given where taken_at is not null;
update person set level = 'worker' where level = 'auditor';
alter table person drop constraint person_auditor_ends;
alter table person drop constraint person_level_check;
alter table person add constraint person_level_check check (level in ('owner', 'manager', 'lead', 'worker'));
drop index grant_once;
alter table grant_given drop given_by, drop given_at, drop used_at, drop taken_by, drop taken_at;
alter table grant_given add unique nulls not distinct (person_id, what, unit_id, site_id);
drop table device;
alter table company drop codes_required;
drop table recovery_code;
alter table person drop code_secret, drop code_since, drop code_step;
