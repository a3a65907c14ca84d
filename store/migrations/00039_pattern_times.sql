-- +goose Up

-- From when to when somebody usually works, in seconds of the site's local day, by
-- weekday as the lengths are; an element is null where the day has no times.
alter table pattern
    add starts int[] check (cardinality(starts) = 7),
    add ends   int[] check (cardinality(ends) = 7),
    add check ((starts is null) = (ends is null));

-- The working pattern that people added from now on get, as it is kept; none where
-- it is empty.
alter table company add new_pattern text not null default '';

-- The short set-up has a step more, which whoever was through it has done.
alter table company alter set_up set default 'place,period,rules,clock,people';
update company set set_up = set_up || ',people' where set_up like '%clock%';

-- +goose Down
update company set set_up = replace(set_up, ',people', '');
alter table company alter set_up set default 'place,period,rules,clock';
alter table company drop new_pattern;
alter table pattern drop starts, drop ends;
