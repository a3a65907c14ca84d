-- +goose Up

-- Whether people see what closed runs paid them, line by line.
alter table company add own_pay boolean not null default false;

-- +goose Down
alter table company drop own_pay;
