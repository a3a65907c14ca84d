-- +goose Up

-- Seconds beyond which a person's workweek is flagged; 0 for no limit.
alter table company add most_a_week int not null default 0 check (most_a_week between 0 and 604800);

-- What was used of a job's budget of hours, in all and in the last fortnight, and
-- the worked date on which it was used up. A job in the queue keeps these: they
-- say nothing that an act goes by, and adding years up takes too long for a page.
alter table job add used_seconds bigint not null default 0, add used_lately bigint not null default 0, add out_on date;

-- People are asked to sign their cards.
alter table card_act drop constraint card_act_move_check;
alter table card_act add constraint card_act_move_check
    check (move in ('sign', 'send_back', 'approve', 'take_back', 'pay', 'reopen', 'adjust', 'remind'));

-- +goose Down
alter table card_act drop constraint card_act_move_check;
alter table card_act add constraint card_act_move_check
    check (move in ('sign', 'send_back', 'approve', 'take_back', 'pay', 'reopen', 'adjust')) not valid;
alter table job drop used_seconds, drop used_lately, drop out_on;
alter table company drop most_a_week;
