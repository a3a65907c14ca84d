-- +goose Up

-- At which rate leave of a kind is paid: that of the day, the regular rate of its week, or the
-- average of so many paid weeks; overtime that is banked comes to one kind. A day keeps what held
-- when it was booked.
alter table leave_kind
    add rate_by text not null default '' check (rate_by in ('', 'regular_rate', 'paid_weeks')),
    add rate_weeks int not null default 12 check (rate_weeks between 1 and 104),
    add banks boolean not null default false;
create unique index leave_kind_banks on leave_kind (banks) where banks;
alter table leave_day
    add rate_by text not null default '',
    add rate_weeks int not null default 0;

-- Whether somebody's overtime is banked as time off in the place of pay.
alter table terms add banks boolean not null default false;

-- What is banked stands in runs.
create index pay_line_banked on pay_line (employment_id, date) where kind = 'banked';

-- +goose Down
drop index pay_line_banked;
alter table terms drop banks;
alter table leave_day drop rate_by, drop rate_weeks;
drop index leave_kind_banks;
alter table leave_kind drop rate_by, drop rate_weeks, drop banks;
