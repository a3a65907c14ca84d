-- +goose Up

-- More figures by which cards are judged, in seconds; 0 for what is not flagged.
alter table company
    add early_after int not null default 1800 check (early_after between 0 and 86400),
    add left_early  int not null default 900 check (left_early between 0 and 86400),
    add left_late   int not null default 0 check (left_late between 0 and 86400),
    add under_plan  int not null default 3600 check (under_plan between 0 and 86400),
    add most_a_day  int not null default 0 check (most_a_day between 0 and 172800),
    add short_stint int not null default 240 check (short_stint between 0 and 86400);
alter table figures
    add early_after int not null default 1800,
    add left_early  int not null default 900,
    add left_late   int not null default 0,
    add under_plan  int not null default 3600,
    add most_a_day  int not null default 0,
    add short_stint int not null default 240;

-- Flags that are not raised at a site.
alter table site add flags_off text[] not null default '{}';

-- What is odd about the job that an amendment puts hours on.
alter table amendment add odd text not null default '' check (odd in ('', 'closed_job', 'not_their_job'));

-- A punch from the person's own device that came without the place asked for.
alter table punch add no_place boolean not null default false;

-- +goose Down
alter table punch drop no_place;
alter table amendment drop odd;
alter table site drop flags_off;
alter table figures drop early_after, drop left_early, drop left_late, drop under_plan, drop most_a_day, drop short_stint;
alter table company drop early_after, drop left_early, drop left_late, drop under_plan, drop most_a_day, drop short_stint;
