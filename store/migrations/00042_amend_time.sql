-- +goose Up
-- The right to correct hours is called by what the trade calls it.
update grant_given set what = 'amend_time' where what = 'edit_time';
-- What somebody says of their own hours is a request, unless somebody chose otherwise.
alter table employment alter own_edits set default 'request';

-- +goose Down
alter table employment alter own_edits set default 'lead';
update grant_given set what = 'edit_time' where what = 'amend_time';
