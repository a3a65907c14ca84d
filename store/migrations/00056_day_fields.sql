-- +goose Up

-- What the place asks of a day, or of a stretch of it, beside the hours; of one crew or of
-- everybody. Closed, it is asked no more, and what was said stays.
create table day_field (
    id        uuid primary key,
    name      text not null check (name <> ''),
    kind      text not null check (kind in ('text', 'number', 'date', 'choice')),
    choices   text not null default '',
    of_stint  boolean not null default false,
    unit_id   uuid references unit,
    position  int not null,
    closed_at timestamptz
);
create unique index day_field_name on day_field (lower(name)) where closed_at is null;

-- What was said. The newest of a day, stint and field counts.
create table day_said (
    id            uuid primary key,
    employment_id uuid not null references employment,
    date          date not null,
    stint_id      uuid,
    field_id      uuid not null references day_field,
    value         text not null,
    by_person     uuid not null references person,
    made_at       timestamptz not null
);
create index day_said_card on day_said (employment_id, date);
create trigger day_said_append_only before update or delete on day_said for each row execute function append_only_but_samples();

-- +goose Down
drop table day_said, day_field;
