-- +goose Up

-- The check by which a run was closed: of what it then paid. Null of those that nobody checked, or that changed since.
alter table run add check_id uuid references run_check;

-- +goose Down
alter table run drop check_id;
