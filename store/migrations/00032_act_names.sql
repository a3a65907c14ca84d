-- +goose Up
-- What was done, beside what it took: twelve acts take the permission jobs.change.
alter table audit add name text not null default '';

-- +goose Down
alter table audit drop name;
