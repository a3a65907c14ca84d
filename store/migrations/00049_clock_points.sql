-- +goose Up

-- Where people clock besides their own phones: a device of the company's at a site.
-- Closed, it takes nothing and keeps its history.
create table clock_point (
    id        uuid primary key,
    name      text not null check (name <> ''),
    site_id   uuid not null references site, -- it serves the people of that site
    job_id    uuid references job,           -- what it stands for, where nobody planned anything
    task_id   uuid references task,
    made_at   timestamptz not null,
    made_by   uuid not null references person,
    closed_at timestamptz
);
create unique index clock_point_name on clock_point (lower(name));

-- What lets a device act for a clock point. Of the key only a digest is kept.
create table point_key (
    id          uuid primary key,
    point_id    uuid not null references clock_point,
    name        text not null,
    secret_hash bytea not null unique,
    punches     boolean not null, -- else it reads only
    made_at     timestamptz not null,
    made_by     uuid not null references person,
    seen_at     timestamptz,
    ended_at    timestamptz,
    ended_by    uuid references person
);
create index point_key_point on point_key (point_id);

-- Through which clock point a punch came, or what was refused or sent too late.
alter table punch add clock_point_id uuid references clock_point;
alter table claim add clock_point_id uuid references clock_point;

-- +goose Down
alter table claim drop clock_point_id;
alter table punch drop clock_point_id;
drop table point_key, clock_point;
