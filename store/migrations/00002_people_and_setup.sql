-- +goose Up

-- What a single person may do beyond their level: for everyone, or for one
-- unit or the units of one site.
create table grant_given (
    id        uuid primary key,
    person_id uuid not null references person,
    what      text not null,
    unit_id   uuid references unit,
    site_id   uuid references site,
    check (unit_id is null or site_id is null),
    unique nulls not distinct (person_id, what, unit_id, site_id)
);

alter table person
    add language     text not null default 'en',
    add zone         text,                                  -- null: that of the site
    add pin_hash     text,
    add added_at     timestamptz,
    add added_by     uuid references person,
    add last_seen_at timestamptz,
    add incomplete   boolean not null default false,        -- added on the spot, to be completed by the office
    add erased_at    timestamptz;

alter table employment
    add subcontractor     boolean not null default false,   -- costed to jobs, in no run
    add period_group      text not null default '',
    add coding            text not null default 'optional' check (coding in ('required', 'optional', 'absent')),
    add coding_prefill    text not null default '',
    add location          text not null default 'punch' check (location in ('off', 'punch', 'along')),
    add location_required boolean not null default false,
    add own_edits         text not null default 'lead' check (own_edits in ('at_once', 'request', 'lead')),
    add reporting         text not null default 'every_hour' check (reporting in ('every_hour', 'pattern')),
    add in_reports        boolean not null default true,
    add leave_policy      text not null default '',
    add clock_points      text not null default 'own phone or browser, shared terminal',
    add every_job         boolean not null default true;    -- false: only the jobs in employment_job

create table badge (
    code      text primary key,
    person_id uuid not null references person
);
create index badge_person on badge (person_id);

create table employment_class (
    employment_id uuid not null references employment,
    class_id      uuid not null references classification,
    primary key (employment_id, class_id)
);

create table employment_job (
    employment_id uuid not null references employment,
    job_id        uuid not null references job,
    primary key (employment_id, job_id)
);

-- Tags of the company's own: work at height, first aid.
create table person_tag (
    person_id  uuid not null references person,
    tag        text not null,
    expires_on date,
    primary key (person_id, tag)
);

-- Fields the company adds itself.
create table own_field (
    id       uuid primary key,
    name     text not null unique,
    kind     text not null check (kind in ('text', 'number', 'date', 'choice')),
    choices  text not null default '',                      -- one a line
    position int not null
);
create table own_value (
    person_id uuid not null references person,
    field_id  uuid not null references own_field,
    value     text not null,
    primary key (person_id, field_id)
);

-- A change of one setting of one person: what the bulk change previews, the
-- undo takes back and the page of a person tells. Append-only.
create table change (
    id         uuid primary key,
    batch_id   uuid not null,
    person_id  uuid not null references person,
    employment_id uuid references employment,
    field      text not null,
    old_value  text not null,
    new_value  text not null,
    starts_on  date,                                        -- of dated settings
    made_at    timestamptz not null,
    made_by    uuid not null references person,
    undoes     uuid unique references change,
    seq        bigint generated always as identity
);
create index change_batch on change (batch_id);
create index change_person on change (person_id, seq);
-- +goose StatementBegin
create function change_guard() returns trigger language plpgsql as $$
begin
    if tg_op = 'UPDATE' and new.old_value = '(erased)' and new.new_value = '(erased)'
       and (new.id, new.batch_id, new.person_id, new.field, new.made_at, new.made_by) =
            (old.id, old.batch_id, old.person_id, old.field, old.made_at, old.made_by) then
        return new;
    end if;
    raise exception 'change is append-only: % refused', lower(tg_op);
end $$;
-- +goose StatementEnd
-- Only erasing a person's data may blank what it held.
create trigger change_guard before update or delete on change for each row execute function change_guard();

-- Which columns a person chose on a list.
create table list_view (
    person_id uuid not null references person,
    list      text not null,
    columns   text not null,
    primary key (person_id, list)
);

-- A file on its way in: its rows as they came, how columns were matched, how
-- far it is.
create table import (
    id         uuid primary key,
    kind       text not null check (kind in ('people', 'jobs')),
    by_person  uuid not null references person,
    made_at    timestamptz not null,
    file_name  text not null,
    header     jsonb not null,
    rows       jsonb not null,
    matched    jsonb not null,
    applied_at timestamptz,
    summary    text not null default ''
);

-- How far a file is while it is brought in: written beside the transaction
-- that does it, so on no row that it locks.
create table import_progress (
    import_id uuid primary key,
    done      int not null,
    total     int not null,
    failed    text not null default ''
);

-- +goose Down
drop table import_progress, import, list_view, change, own_value, own_field, person_tag,
    employment_job, employment_class, badge, grant_given;
drop function change_guard();
alter table employment drop subcontractor, drop period_group, drop coding, drop coding_prefill, drop location, drop location_required,
    drop own_edits,
    drop reporting, drop in_reports, drop leave_policy, drop clock_points, drop every_job;
alter table person drop language, drop zone, drop pin_hash, drop added_at, drop added_by, drop last_seen_at,
    drop incomplete, drop erased_at;
