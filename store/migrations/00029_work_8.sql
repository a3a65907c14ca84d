-- +goose Up
-- The queue of work that runs later is river's; this is version 8 of its tables,
-- as the library ships it.
-- +goose StatementBegin
-- No-op. Postgres sequences already prevent automatically generated job IDs
-- from being reused.
SELECT 1;
insert into river_migration (line, version) values ('main', 8);
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
delete from river_migration where version = 8;
-- No-op. Postgres sequences already prevent automatically generated job IDs
-- from being reused.
SELECT 1;
-- +goose StatementEnd
