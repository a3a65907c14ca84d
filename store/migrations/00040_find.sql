-- +goose Up

-- What find boxes go by: small letters without accents, and without the marks that
-- are written or left out as it comes, so that "oneill" finds O'Neill and "617555"
-- finds (617) 555.
create extension if not exists unaccent;

-- +goose StatementBegin
create function plain(text) returns text language sql immutable strict parallel safe
    as $$ select lower(regexp_replace(public.unaccent('public.unaccent', $1), '[''’`´.,()+/-]', '', 'g')) $$;
-- +goose StatementEnd

-- Whether every word of a text occurs, in any order.
-- +goose StatementBegin
create function finds(hay text, words text) returns boolean language sql immutable strict parallel safe
    as $$ select not exists (select 1 from regexp_split_to_table(plain(words), '\s+') w where position(w in h) = 0) from plain(hay) h $$;
-- +goose StatementEnd

-- +goose Down
drop function finds(text, text);
drop function plain(text);
drop extension unaccent;
