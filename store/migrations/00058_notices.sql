-- +goose Up

-- What people are told of: written in the transaction of the act that it tells of. The id
-- is made with the act; the same thing told again is the same notice.
create table notice (
    id        uuid primary key,
    person_id uuid not null references person,
    kind      text not null,
    words     jsonb not null default '[]', -- what stands in the places of its sentence
    link      text not null,
    about_at  timestamptz,                 -- when what it tells of happens: it can't wait past that
    made_at   timestamptz not null,
    seen_at   timestamptz
);
create index notice_of on notice (person_id, made_at desc);
create index notice_unseen on notice (person_id) where seen_at is null;

-- One message by mail or as a text: one notice, or several that were gathered. A retry
-- carries its id, by which whoever takes it knows that they have it.
create table message (
    id        uuid primary key,
    person_id uuid not null references person,
    way       text not null check (way in ('mail', 'text')),
    made_at   timestamptz not null,
    tries     int not null default 0,
    sent_at   timestamptz,
    failed_at timestamptz,                 -- it is not tried any more
    reason    text not null default ''     -- why the last try failed
);
create index message_of on message (person_id, way, made_at desc);
create index message_failed on message (made_at desc) where failed_at is not null;

-- By which ways a notice leaves the house, and in which message.
create table notice_way (
    notice_id  uuid not null references notice on delete cascade,
    way        text not null check (way in ('mail', 'text')),
    person_id  uuid not null references person,
    message_id uuid references message,
    primary key (notice_id, way)
);
create index notice_way_waiting on notice_way (person_id, way) where message_id is null;
create index notice_way_message on notice_way (message_id);

-- By which ways somebody wants notices of a kind; '' for none at all.
create table notice_choice (
    person_id uuid not null references person,
    kind      text not null,
    ways      text not null,
    primary key (person_id, kind)
);

-- In these hours of the local day nothing is sent, seconds; the same twice: never.
alter table person add quiet_from int not null default 75600 check (quiet_from between 0 and 86399),
    add quiet_to int not null default 21600 check (quiet_to between 0 and 86399);
alter table company add notices_off boolean not null default false;

-- +goose Down
drop table notice_choice, notice_way, message, notice;
alter table person drop quiet_from, drop quiet_to;
alter table company drop notices_off;
