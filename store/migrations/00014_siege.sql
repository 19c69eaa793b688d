-- +goose Up

-- What is kept of alarms, with what explains them, and of all else that happened, in nanoseconds; 0: for ever.
alter table site
    add keep_alarms bigint not null default 315619200000000000, -- ten years
    add keep_journal bigint not null default 157766400000000000; -- five years
create index on alarm (cleared_at) where cleared_at is not null;
create index on journal (learned_at) where alarm_id is null;
create index on notice (created_at) where alarm_id is null;
create index on guard_event (at);
