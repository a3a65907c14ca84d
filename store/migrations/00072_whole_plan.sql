-- +goose Up

-- Whether people see the shifts of others: no, those of their crew (yes), or of everybody (all).
alter table company alter plan_seen drop default;
alter table company alter plan_seen type text using case when plan_seen then 'yes' else 'no' end;
alter table company alter plan_seen set default 'no', add constraint plan_seen_known check (plan_seen in ('no', 'yes', 'all'));

-- +goose Down
alter table company drop constraint plan_seen_known, alter plan_seen drop default;
alter table company alter plan_seen type boolean using plan_seen <> 'no';
alter table company alter plan_seen set default false;
