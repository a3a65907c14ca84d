-- +goose Up

-- Seconds beyond which a person's workweek is flagged; 0 for no limit.
alter table company add most_a_week int not null default 0 check (most_a_week between 0 and 604800);

-- The worked date on which a job's budget of hours was used up. A job in the
-- queue keeps it: it says nothing that an act goes by.
alter table job add out_on date;

-- People are asked to sign their cards.
alter table card_act drop constraint card_act_move_check;
alter table card_act add constraint card_act_move_check
    check (move in ('sign', 'send_back', 'approve', 'take_back', 'pay', 'reopen', 'adjust', 'remind'));

-- +goose Down
alter table card_act drop constraint card_act_move_check;
alter table card_act add constraint card_act_move_check
    check (move in ('sign', 'send_back', 'approve', 'take_back', 'pay', 'reopen', 'adjust')) not valid;
alter table job drop out_on;
alter table company drop most_a_week;
