-- +goose Up

-- A link by which a customer reads the hours on their own jobs, until it is
-- taken back or its last day is over.
create table customer_link (
    id           uuid primary key,
    token_hash   bytea not null unique,
    customer_id  uuid not null references customer,
    given_to     text not null,                             -- who outside has it
    with_names   boolean not null default false,
    made_at      timestamptz not null,
    made_by      uuid not null references person,
    last_day     date,                                      -- null: until taken back
    taken_at     timestamptz,
    last_seen_at timestamptz
);
create index customer_link_customer on customer_link (customer_id);

-- +goose Down
drop table customer_link;
