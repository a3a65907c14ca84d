-- +goose Up

-- Whether people see the shifts of their crew beside their own.
alter table company add plan_seen boolean not null default false;

-- +goose Down
alter table company drop plan_seen;
