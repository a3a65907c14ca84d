-- +goose Up

-- The account to which payroll books somebody's hours: that of their crew or
-- department to begin with. A paid line keeps the one it was paid under.
alter table unit add account text not null default '';
alter table employment rename coding_prefill to account;
alter table pay_line add account text not null default '';

-- +goose Down
alter table pay_line drop account;
alter table employment rename account to coding_prefill;
alter table unit drop account;
