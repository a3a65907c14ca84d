-- +goose Up

-- The secret address by which a calendar reads somebody's shifts; of it a digest is kept.
create table plan_feed (
    person_id  uuid primary key references person,
    token_hash bytea not null unique,
    made_at    timestamptz not null,
    read_at    timestamptz
);

-- +goose Down
drop table plan_feed;
