-- +goose Up

-- By what the texts of cards are hashed: without it, their numbers can't be tried.
create table badge_secret (
    id     boolean primary key default true check (id),
    secret bytea not null
);
insert into badge_secret (secret) values (sha256(convert_to(gen_random_uuid()::text || gen_random_uuid()::text, 'UTF8')));

-- Of a card only a keyed hash is kept (HMAC-SHA256, RFC 2104), and when it was learnt.
-- +goose StatementBegin
create function hmac_sha256(secret bytea, text text) returns bytea language plpgsql as $$
declare
    inner_pad bytea := decode(repeat('36', 64), 'hex');
    outer_pad bytea := decode(repeat('5c', 64), 'hex');
begin
    for i in 0..length(secret) - 1 loop
        inner_pad := set_byte(inner_pad, i, get_byte(inner_pad, i) # get_byte(secret, i));
        outer_pad := set_byte(outer_pad, i, get_byte(outer_pad, i) # get_byte(secret, i));
    end loop;
    return sha256(outer_pad || sha256(inner_pad || convert_to(text, 'UTF8')));
end $$;
-- +goose StatementEnd
alter table badge add card_hash bytea, add learnt_at timestamptz, add learnt_by uuid references person;
update badge set card_hash = hmac_sha256((select secret from badge_secret), code);
alter table badge drop constraint badge_pkey;
alter table badge drop code;
alter table badge alter card_hash set not null, add primary key (card_hash);
drop function hmac_sha256;
-- What was recorded of changes held the texts.
alter table change disable trigger user;
update change set old_value = '(a card)', new_value = '(a card)' where field = 'badges';
alter table change enable trigger user;

alter table company add swipe_guard int not null default 20, -- seconds in which another swipe changes nothing
                    add own_cards text not null default '';  -- what the numbers of the place's own cards begin with

-- +goose Down
alter table company drop own_cards, drop swipe_guard;
alter table badge drop constraint badge_pkey;
alter table badge add code text;
update badge set code = encode(card_hash, 'hex'); -- what a card said is not known any more
alter table badge alter code set not null, add primary key (code);
alter table badge drop learnt_by, drop learnt_at, drop card_hash;
drop table badge_secret;
