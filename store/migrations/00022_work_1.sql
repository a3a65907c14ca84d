-- +goose Up
-- The queue of work that runs later is river's; this is version 1 of its tables,
-- as the library ships it.
-- +goose StatementBegin
CREATE TABLE river_migration(
  id bigserial PRIMARY KEY,
  created_at timestamptz NOT NULL DEFAULT NOW(),
  version bigint NOT NULL,
  CONSTRAINT version CHECK (version >= 1)
);

CREATE UNIQUE INDEX ON river_migration USING btree(version);
insert into river_migration (version) values (1);
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
DROP TABLE river_migration;
-- +goose StatementEnd
