-- +goose Up
-- A link or printed code by which somebody chooses a password, once.
create table sign_in_link (
    token_hash bytea primary key,
    person_id  uuid not null references person,
    made_at    timestamptz not null,
    made_by    uuid not null references person,
    expires_at timestamptz not null,
    used_at    timestamptz
);
create index sign_in_link_person on sign_in_link (person_id);

-- +goose Down
drop table sign_in_link;
