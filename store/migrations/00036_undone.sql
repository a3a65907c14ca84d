-- +goose Up
-- What nobody has decided on yet, to be found without reading what is done.
create index card_undone on card (date, employment_id) where state in ('open', 'signed') or adjust and late_change;

-- When cards that nobody has signed stand out: a local time of the next working day.
alter table company add unsigned_at int not null default 36000 check (unsigned_at between 0 and 86399);

-- +goose Down
alter table company drop unsigned_at;
drop index card_undone;
