-- +goose Up

-- Where the people of a crew or department are: in the works, in the field or in
-- the office.
alter table unit drop constraint unit_kind_check, add constraint unit_kind_check check (kind in ('department', 'crew', 'office'));

-- +goose Down
update unit set kind = 'department' where kind = 'office';
alter table unit drop constraint unit_kind_check, add constraint unit_kind_check check (kind in ('department', 'crew'));
