-- +goose Up

-- Seconds beyond which a person's workweek is flagged; 0 for no limit.
alter table company add most_a_week int not null default 0 check (most_a_week between 0 and 604800);

-- The worked date on which a job's budget of hours was used up. A job in the
-- queue keeps it: it says nothing that an act goes by.
alter table job add out_on date;

-- +goose Down
alter table job drop out_on;
alter table company drop most_a_week;
