-- +goose Up

-- Whom to ask about what: a person for a subject, at a site or (null) at all that
-- have none of their own.
create table ask (
    id        uuid primary key,
    subject   text not null check (subject <> '' and length(subject) <= 60),
    site_id   uuid references site,
    person_id uuid not null references person,
    reach     text not null default '' check (length(reach) <= 80),
    unique nulls not distinct (subject, site_id)
);

-- +goose Down
drop table ask;
