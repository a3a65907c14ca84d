-- +goose Up
alter table company
    add set_up           text not null default 'place,period,rules,clock',   -- the steps of the short set-up that are done
    add new_clock_points text not null default 'own phone or browser, shared terminal',  -- of people added from now on
    add new_location     text not null default 'punch' check (new_location in ('off', 'punch', 'along'));

-- +goose Down
alter table company drop set_up, drop new_clock_points, drop new_location;
