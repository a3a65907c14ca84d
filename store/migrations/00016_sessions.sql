-- +goose Up
-- A session holds the epoch in which it began; whatever ends all sessions of a
-- person begins the next.
alter table person add session_epoch int not null default 0;

-- +goose Down
alter table person drop session_epoch;
