-- +goose Up

-- Which days hold what was pressed without a PIN, because somebody watched.
create index punch_watched on punch (employment_id, claimed_at) where watched_by is not null;

-- +goose Down
drop index punch_watched;
