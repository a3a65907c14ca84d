-- +goose Up
alter table job
    add lat double precision,
    add lon double precision,
    add fence_metres double precision not null default 0;   -- of the job's own place; without one its site's holds

-- Tags that whoever works on a job needs.
create table job_tag (
    job_id uuid not null references job,
    tag    text not null check (tag <> ''),
    primary key (job_id, tag)
);

-- What the map shows beneath: lines and areas as GeoJSON (RFC 7946).
alter table company add map jsonb;

-- +goose Down
alter table company drop map;
drop table job_tag;
alter table job drop lat, drop lon, drop fence_metres;
