-- +goose Up
-- The company's settings have a version, which every change of them counts up:
-- an act goes by settings of the version that it finds.
alter table company add version bigint not null default 1;

-- The first statement of every act. It shares the gate, or has it alone, and
-- gives the version of the settings as it is once the gate is passed: each
-- statement of a function sees what was committed before it.
-- +goose StatementBegin
create function enter_act(gate bigint, alone boolean) returns bigint language plpgsql as $$
begin
    if alone then
        perform pg_advisory_xact_lock(gate);
    else
        perform pg_advisory_xact_lock_shared(gate);
    end if;
    return (select version from company);
end $$;
-- +goose StatementEnd

-- +goose Down
drop function enter_act(bigint, boolean);
alter table company drop version;
