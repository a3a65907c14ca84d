-- +goose Up

-- Hours that were recorded elsewhere before the company came here, told of by a
-- file: of them only the hours are known, not the breaks they were made of.
alter table amendment drop constraint amendment_does_check;
alter table amendment add constraint amendment_does_check check (does in ('move_start', 'move_end', 'end', 'reassign', 'add', 'split',
    'join', 'remove', 'take_back', 'bring_in'));
alter table card add brought_in boolean not null default false;
create index card_brought_in on card (date) where brought_in;
alter table settled_stint add brought_in boolean not null default false;

-- The first day that is paid here; what is dated before counts towards the week's
-- overtime and was paid elsewhere. Null: everything is paid here.
alter table company add pays_from date;

-- A word of letters is found where it occurs, or, from five letters on, where a word is
-- much like it: a slip of the finger. Numbers are found as they are.
create extension if not exists pg_trgm;
-- +goose StatementBegin
create or replace function finds(hay text, words text) returns boolean language sql immutable strict parallel safe
    as $$ select not exists (select 1 from regexp_split_to_table(plain(words), '\s+') w where position(w in h) = 0
        and not (length(w) >= 5 and w !~ '[0-9]' and public.word_similarity(w, h) >= 0.68)) from plain(hay) h $$;
-- +goose StatementEnd

-- People are given the ways of clocking that there are.
alter table employment alter clock_points set default 'own phone or browser';
alter table company alter new_clock_points set default 'own phone or browser';
update employment set clock_points = case when clock_points like '%own phone or browser%' then 'own phone or browser' else '' end;
update company set new_clock_points = case when new_clock_points like '%own phone or browser%' then 'own phone or browser' else '' end;

-- Parts of the product that the company has put away, with commas.
alter table company add parts_away text not null default '';

-- What somebody had worked in a year up to a day before they were recorded here,
-- in seconds.
create table year_before (
    employment_id uuid not null references employment on delete cascade,
    year          int not null,
    until         date not null check (extract(year from until) = year),
    regular       bigint not null check (regular >= 0),
    overtime      bigint not null check (overtime >= 0),
    doubled       bigint not null check (doubled >= 0),
    brought_in    uuid not null, -- the file
    primary key (employment_id, year)
);
create index year_before_file on year_before (brought_in);

alter table import drop constraint import_kind_check;
alter table import add constraint import_kind_check check (kind in ('people', 'jobs', 'hours', 'year', 'holidays'));

-- +goose Down
delete from import where kind not in ('people', 'jobs');
alter table import drop constraint import_kind_check;
alter table import add constraint import_kind_check check (kind in ('people', 'jobs'));
drop table year_before;
-- +goose StatementBegin
create or replace function finds(hay text, words text) returns boolean language sql immutable strict parallel safe
    as $$ select not exists (select 1 from regexp_split_to_table(plain(words), '\s+') w where position(w in h) = 0) from plain(hay) h $$;
-- +goose StatementEnd
drop extension pg_trgm;
alter table company alter new_clock_points set default 'own phone or browser, shared terminal';
alter table employment alter clock_points set default 'own phone or browser, shared terminal';
alter table company drop pays_from, drop parts_away;
alter table settled_stint drop brought_in;
alter table card drop brought_in; -- its index goes with it
alter table amendment drop constraint amendment_does_check;
alter table amendment add constraint amendment_does_check check (does in ('move_start', 'move_end', 'end', 'reassign', 'add', 'split',
    'join', 'remove', 'take_back'));
