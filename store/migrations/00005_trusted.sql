-- +goose Up

alter table site add holidays text[] not null default '{}'; -- dates, 2006-01-02

alter table guard
    add rungs            jsonb not null default '[]', -- those beyond the first
    add latch            boolean not null default false,
    add armed            text not null default '',
    add suppressed_while text not null default '',
    add out_of_service   jsonb,                       -- who, when, why
    add shelved          jsonb,                       -- who, until when, why
    add shelved_until    bigint,
    add made_at          bigint not null default 0; -- since when it is as it is
update guard g set made_at = coalesce((select begun_at from guard_state s where s.guard_id = g.id), 0);
create index on guard (shelved_until) where shelved_until is not null;

-- What a guard remembers is one value: alarm.Kept says how it is laid out.
alter table guard_state
    add kept         bytea,
    add low_alarm_id bigint,                              -- the standing alarm of the low side
    add low_extreme  double precision not null default 0;
update guard_state set kept =
       substring(int2send(phase) from 2 for 1) || int8send(since) || decode(repeat('00', 27), 'hex')
    || case when phase >= 2 then '\x01'::bytea else '\x00'::bytea end || case when acknowledged then '\x01'::bytea else '\x00'::bytea end
    || int8send(raised_at) || float8send(extreme) || decode(repeat('00', 18), 'hex')
    || '\x00'::bytea || int8send(0) || int8send(silent_since);
alter table guard_state alter kept set not null, drop phase, drop acknowledged, drop since, drop raised_at, drop silent_since;
create index on guard_state (low_alarm_id) where low_alarm_id is not null;

-- What happened to a guard besides readings, so that a replay can go through the same. Readings up to signal_stepped came
-- before it.
create table guard_event (
    id             bigint generated always as identity primary key,
    guard_id       bigint not null references guard on delete cascade,
    kind           smallint not null,
    at             bigint not null,
    value          double precision not null default 0,
    side           smallint not null default 0,
    off            smallint not null default 0,
    signal_stepped bigint not null,
    version        jsonb -- of a guard that began or was changed
);
create index on guard_event (guard_id, id);

alter table alarm
    add side         smallint not null default 0,
    add level        text not null default '',
    add worst        text not null default '', -- the highest severity that it had
    add latched      boolean not null default false,
    add shelved      boolean not null default false,
    add learned_late boolean not null default false,
    add handed_to    text not null default '',
    add handed_by    text not null default '',
    add comment      text not null default '',
    add mark         text not null default '' check (mark in ('', 'real', 'false', 'useful')),
    add marked_by    text not null default '',
    add told_with    bigint; -- the alarm with which it was told: one cause, one notice
update alarm set worst = severity;
create index on alarm (guard, raised_at) where guard <> '';
create index on alarm (learned_at);

alter table notice
    drop constraint notice_kind_check,
    add constraint notice_kind_check check (kind in ('raise', 'worsen', 'ease', 'latched', 'return', 'hand', 'summary'));

-- The journal is searched by thing, kind and word.
create index on journal (subject text_pattern_ops, id);
create index on journal (kind, id);
create index journal_words on journal using gin (to_tsvector('simple', translate(text, '/', ' ')));
create index on journal (at);

-- Stretches of late readings that guards are still to be asked about.
create table late_stretch (
    signal_id bigint primary key references signal on delete cascade,
    from_at   bigint not null,
    until_at  bigint not null,
    noted_at  bigint not null -- when the newest of it arrived
);

-- Alarms that people say they missed.
create table missed (
    id      bigint generated always as identity primary key,
    guard   text not null,
    at      bigint not null,
    who     text not null,
    note    text not null default '',
    said_at bigint not null
);
create index on missed (guard, at);

create table trial (
    id         bigint generated always as identity primary key,
    signal_id  bigint not null references signal on delete cascade,
    note       text not null default '',
    started_by text not null,
    started_at bigint not null,
    ended_at   bigint,
    guard      text not null default '' -- that was made of it
);
create table trial_stretch (
    id       bigint generated always as identity primary key,
    trial_id bigint not null references trial on delete cascade,
    label    text not null check (label in ('normal', 'event')),
    from_at  bigint not null,
    until_at bigint -- null: it goes on
);
create index on trial_stretch (trial_id, from_at);
create unique index on trial_stretch (trial_id) where until_at is null;

create or replace view analysis.alarm as
    select id, kind, guard, signal, severity, case when cleared_at is null then 'raised' else 'over' end as state, analysis.instant(raised_at) as raised_at,
           analysis.instant(cleared_at) as cleared_at, analysis.instant(acknowledged_at) as acknowledged_at, acknowledged_by, analysis.instant(learned_at) as learned_at,
           value, extreme, cleared_value, unit, when_text as test, sentence, cause,
           level, worst, latched, shelved, learned_late, handed_to, comment, mark
    from public.alarm;
