-- +goose Up

-- The sum of the leaps of the clock that were taken, in milliseconds: who knows another one has one to take.
alter table ledger add leapt bigint not null default 0;

-- How far the signal's own time is known to lie ahead of ours, negative where our clock was set forward since its newest reading, and how
-- old its readings were on arrival before that; its newest stored reading, which is newer than at where its time was taken back.
alter table signal_state
    add ahead bigint not null default 0,
    add lag_before bigint not null default 0,
    add highest_at bigint not null default 0;
update signal_state set highest_at = at;
