-- +goose Up

-- Which acts a clock point takes, and who vouches for whoever presses there: their PIN,
-- or where one is named, somebody who watches.
alter table clock_point add takes text not null default 'in, switch, break, out',
                        add watcher_id uuid references person;

-- A key that a browser holds, which then is a shared terminal. Unused for five weeks it
-- opens nothing.
alter table point_key add terminal boolean not null default false;

-- Who watched where a punch was pressed, in place of a PIN.
alter table punch add watched_by uuid references person;

-- Wrong PINs of somebody, wherever they were typed: after five they wait a minute.
create table pin_try (
    person_id   uuid primary key references person,
    wrong       int not null,
    waits_until timestamptz,
    point_id    uuid references clock_point, -- where the last was typed
    at          timestamptz not null
);

-- Somebody who forgot their PIN asks for a new one at a terminal.
create table pin_ask (
    person_id uuid primary key references person,
    point_id  uuid not null references clock_point,
    asked_at  timestamptz not null
);

-- What is typed at terminals is sealed to this.
create table terminal_secret (
    id      boolean primary key default true check (id),
    private bytea not null, -- PKCS #8
    made_at timestamptz not null
);

-- +goose Down
drop table terminal_secret, pin_ask, pin_try;
alter table punch drop watched_by;
alter table point_key drop terminal;
alter table clock_point drop watcher_id, drop takes;
