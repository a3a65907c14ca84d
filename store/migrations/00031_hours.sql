-- +goose Up

-- Hours that were worked, added up: a row for each employment, worked date and
-- what it was worked on, how and where it was clocked. They follow from stints,
-- are kept in the transaction that changes those, and are what sums are read
-- from.
create table hours (
    employment_id uuid not null references employment,
    date          date not null,
    job_id        uuid references job,
    task_id       uuid references task,
    class_id      uuid references classification,
    kind          text not null,
    point         text not null, -- where the stints were begun
    by_hand       boolean not null,
    seconds       int not null,
    constraint hours_key unique nulls not distinct (employment_id, date, job_id, task_id, class_id, kind, point, by_hand)
);
create index hours_job on hours (job_id, task_id, date) include (seconds) where kind = 'work';

insert into hours
select s.employment_id, s.date, s.job_id, s.task_id, s.class_id, s.kind, coalesce(p.point, 'hand'),
       s.start_by = 'hand' or s.end_by = 'hand', sum(extract(epoch from s.end_at - s.start_at))::int
from stint s left join punch p on p.id = s.id
where s.end_at is not null
group by 1, 2, 3, 4, 5, 6, 7, 8;

-- What was found when what is derived was last worked out anew.
create table checked (
    at          timestamptz primary key,
    since       date,
    stints      int not null,
    cards       int not null,
    differences int not null,
    first       text not null -- of them, a line each
);

-- +goose Down
drop table checked;
drop table hours;
