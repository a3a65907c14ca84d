-- +goose Up

-- A telling that is sent again is found by its notices.
create index shift_told_notice on shift_told (notice_id);

-- +goose Down
drop index shift_told_notice;
