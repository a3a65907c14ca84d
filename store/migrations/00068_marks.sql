-- +goose Up

-- A short mark of the company's own: two letters and a texture, such as "KP dots".
alter table person add mark text;
alter table unit add mark text not null default '';
alter table job add mark text not null default '';

-- +goose Down
alter table job drop mark;
alter table unit drop mark;
alter table person drop mark;
