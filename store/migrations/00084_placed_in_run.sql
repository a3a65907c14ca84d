-- +goose Up

-- Of what crew and site somebody was when a run was closed, and how they were paid: its files go by it, whenever
-- they are made. Null of runs closed before.
alter table run_person add crew text, add site text, add way text;

-- +goose Down
alter table run_person drop crew, drop site, drop way;
