-- +goose Up

-- In which transaction a row was written: those of finished ones are sealed.
alter table audit add txid xid8 not null default pg_current_xact_id();
create index audit_txid on audit (txid);

-- The audit list is sealed afterwards: a digest of each row's payload, and of each
-- batch of rows with the one before.
create table audit_seal (
    batch   bigint primary key,
    made_at timestamptz not null,
    rows    int not null check (rows > 0),
    digest  bytea not null unique,
    upto    xid8 not null -- all rows of transactions before it are sealed
);
create table audit_leaf (
    seq    bigint primary key references audit,
    batch  bigint not null references audit_seal,
    salt   bytea, -- null: what it was salted for was erased
    digest bytea not null
);
create index audit_leaf_batch on audit_leaf (batch, seq);
create trigger audit_seal_append_only before update or delete on audit_seal for each row execute function append_only();

-- What names somebody can be erased of a row; nothing else changes.
-- +goose StatementBegin
create function append_only_but_erased() returns trigger language plpgsql as $$
begin
    if tg_op = 'UPDATE' and tg_table_name = 'audit' then
        if new.detail = '{"erased": true}'::jsonb and to_jsonb(new) - 'detail' = to_jsonb(old) - 'detail' then
            return new;
        end if;
    elsif tg_op = 'UPDATE' then
        if to_jsonb(new) = to_jsonb(old) || '{"salt": null}'::jsonb then
            return new;
        end if;
    end if;
    raise exception '% is append-only: % refused', tg_table_name, lower(tg_op)
        using errcode = 'restrict_violation';
end $$;
-- +goose StatementEnd
drop trigger audit_append_only on audit;
create trigger audit_append_only before update or delete on audit for each row execute function append_only_but_erased();
create trigger audit_leaf_append_only before update or delete on audit_leaf for each row execute function append_only_but_erased();

-- What the audit list was sealed to when a run was closed.
alter table run add audit_head bytea;

-- +goose Down
alter table run drop audit_head;
drop table audit_leaf, audit_seal;
drop trigger audit_append_only on audit;
create trigger audit_append_only before update or delete on audit for each row execute function append_only();
drop function append_only_but_erased();
drop index audit_txid;
alter table audit drop txid;
