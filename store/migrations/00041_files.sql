-- +goose Up

-- In which form telephone numbers without a country are read: ISO 3166.
alter table company add country text not null default 'US' check (country ~ '^[A-Z]{2}$');
update company set country = case when holiday_country <> '' then upper(left(holiday_country, 2)) when currency = 'CAD' then 'CA'
    when currency = 'GBP' then 'GB' when currency = 'AUD' then 'AU' when currency = 'NZD' then 'NZ' else 'US' end;

-- In which line of the file each row stands, and how columns are written, by their
-- index, where somebody was asked.
alter table import
    add lines   jsonb not null default '[]',
    add manners jsonb not null default '{}';

-- What columns of files were taken for last, by their heads in small letters.
create table import_head (
    kind text not null,
    head text not null,
    key  text not null,
    primary key (kind, head)
);

-- +goose Down
drop table import_head;
alter table import drop lines, drop manners;
alter table company drop country;
