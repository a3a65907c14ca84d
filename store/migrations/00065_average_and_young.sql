-- +goose Up

-- For whom the hours set for the young hold, and until which day; and who agreed, from which
-- day on, that the weekly average doesn't hold for them.
alter table person add young_until date, add week_opt_out date;

-- The second figure of a rule: over how many weeks, or until when.
alter table plan_rule add span int not null default 0 check (span between 0 and 1000);

-- +goose Down
alter table plan_rule drop span;
alter table person drop young_until, drop week_opt_out;
