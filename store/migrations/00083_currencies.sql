-- +goose Up

-- In what a group's people are paid: '' is the company's currency. A run keeps it; '' of those closed before
-- is the company's too.
alter table period_group add currency text not null default '' check (currency = '' or currency ~ '^[A-Z]{3}$');
alter table run add currency text not null default '';

-- +goose Down
alter table run drop currency;
alter table period_group drop currency;
