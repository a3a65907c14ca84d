-- +goose Up
-- The queue of work that runs later is river's; this is version 3 of its tables,
-- as the library ships it.
-- +goose StatementBegin
ALTER TABLE river_job ALTER COLUMN tags SET DEFAULT '{}';
UPDATE river_job SET tags = '{}' WHERE tags IS NULL;
ALTER TABLE river_job ALTER COLUMN tags SET NOT NULL;
insert into river_migration (version) values (3);
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
delete from river_migration where version = 3;
ALTER TABLE river_job
    ALTER COLUMN tags DROP NOT NULL,
    ALTER COLUMN tags DROP DEFAULT;
-- +goose StatementEnd
