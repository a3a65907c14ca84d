-- +goose Up
-- Whether crew leads say when people of their crew left.
alter table company add lead_times bool not null default false;

-- +goose Down
alter table company drop lead_times;
