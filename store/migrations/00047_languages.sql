-- +goose Up

-- Pages are said in these languages; another is read in English.
update person set language = 'en' where language not in ('en', 'es', 'fr');
alter table person add constraint person_language check (language in ('en', 'es', 'fr'));

-- +goose Down
alter table person drop constraint person_language;
