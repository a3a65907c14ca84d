-- +goose Up
-- Whoever changed a card by hand by more than this doesn't approve it.
alter table company add hand_change int not null default 900 check (hand_change between 0 and 86400);

-- +goose Down
alter table company drop hand_change;
