-- +goose Up
-- Where somebody was along the way while on the clock, for those whose
-- location is taken so. Append-only like punches.
create table place_seen (
    id            uuid primary key,
    employment_id uuid not null references employment,
    at            timestamptz not null,
    lat           double precision not null check (lat between -90 and 90),
    lon           double precision not null check (lon between -180 and 180)
);
create index place_seen_of on place_seen (employment_id, at);
create trigger place_seen_append_only before update or delete on place_seen for each row execute function append_only();

-- +goose Down
drop table place_seen;
