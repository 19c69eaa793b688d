-- +goose Up

alter table site
    add tell         text[] not null default '{}',  -- whom alarms of the service itself are told; none: the owners
    add templates    jsonb not null default '[]',
    add heartbeat    jsonb,                         -- where to, how often
    add quiet_word   jsonb,                         -- to whom, at which time of day
    add flood        jsonb,                         -- when a reader gets one message for all
    add signing_key  bytea not null default decode(replace(gen_random_uuid()::text || gen_random_uuid()::text, '-', ''), 'hex'),
    add reader_hash  bytea,                         -- SHA-256 of the key that alarms are read with over MQTT
    add push_private text not null default '',      -- the site's own key for Web Push (RFC 8292), base64url
    add push_public  text not null default '';

alter table guard
    add least_gap bigint not null default 0,
    add templates jsonb not null default '[]';

alter table alarm
    add drill boolean not null default false,
    drop constraint alarm_kind_check,
    add constraint alarm_kind_check check (kind in ('guard', 'silence', 'clock', 'disk', 'sensor', 'verification', 'carrier', 'drill'));

create table contact (
    id        bigint generated always as identity primary key,
    name      text not null unique,
    title     text not null default '',
    zone      text not null default '',
    quiet     text not null default '',
    passes    text not null default 'critical',
    away      jsonb,
    addresses jsonb not null default '[]',
    templates jsonb not null default '[]'
);

create table roster (
    id           bigint generated always as identity primary key,
    name         text not null unique,
    title        text not null default '',
    steps        jsonb not null,
    repeat_every bigint not null default 0,
    rotation     jsonb,
    drilled_at   bigint,
    made_at      bigint not null,
    alarm_id     bigint -- the standing alarm that it was not drilled for long
);

-- How far a roster has come with a standing alarm that nobody has.
create table escalation (
    alarm_id  bigint not null references alarm,
    roster_id bigint not null references roster on delete cascade,
    since     bigint not null,
    spoken    bigint not null default 0,
    rounds    integer not null default 0,
    due_at    bigint, -- of its next call; null: there is none
    primary key (alarm_id, roster_id)
);
create index on escalation (due_at) where due_at is not null;

alter table notice
    alter alarm_id drop not null,
    drop constraint notice_kind_check,
    drop constraint notice_state_check,
    add constraint notice_state_check check (state in ('waiting', 'sent', 'delivered', 'given up', 'held', 'summed up')),
    add severity     text not null default '',
    add urgency      smallint not null default 3, -- the smaller the sooner
    add contact      text not null default '',
    add why          text not null default '',
    add held_why     text not null default '',
    add gateway_id   text not null default '',
    add delivered_at bigint,
    add taken_at     bigint, -- when its link was used
    add route        jsonb not null default '{}';
update notice set held_why = 'catching up' where held_for is not null;
create index on notice (carrier, urgency, due_at, id) where state = 'waiting';
create index on notice (alarm_id, carrier, address, id) where state = 'waiting';
create index on notice (carrier, address, created_at);
create index on notice (carrier, gateway_id) where gateway_id <> '';
create index on notice (due_at) where state = 'held';

-- Whether each carrier works.
create table carrier (
    name          text primary key,
    failing_since bigint, -- null: the last attempt went well
    failures      integer not null default 0,
    failed_at     bigint,
    worked_at     bigint,
    answer        text not null default '', -- to the last attempt that failed
    alarm_id      bigint                    -- the standing alarm that it fails
);

create table drill (
    id           bigint generated always as identity primary key,
    guard        text not null,
    started_by   text not null,
    started_at   bigint not null,
    committed_at bigint not null,
    alarm_id     bigint not null references alarm,
    rosters      text[] not null,
    ended_at     bigint,
    ended        text not null default '' -- how
);
create index on drill (ended_at);

create table statement (
    id       bigint generated always as identity primary key,
    name     text not null unique,
    title    text not null default '',
    kind     text not null check (kind in ('energy', 'alarms', 'totals')),
    totals   text[] not null default '{}',
    every    text not null check (every in ('day', 'week', 'month')),
    send_at  text not null,
    tell     text[] not null default '{}',
    made_at  bigint not null,
    sent_for bigint, -- when the newest period that was sent began
    due_at   bigint
);

alter table way_in
    add down_from  bigint not null default 0,
    add blind_told boolean not null default true,
    add heart_at   bigint not null default 0, -- when the heartbeat is due
    add heart_ok   bigint,
    add heart_bad  text not null default '',  -- what the other side said, when it did not take the last one
    add quiet_on   text not null default '';  -- the day on which the word that all is quiet was last told

create or replace view analysis.alarm as
    select id, kind, guard, signal, severity, case when cleared_at is null then 'raised' else 'over' end as state, analysis.instant(raised_at) as raised_at,
           analysis.instant(cleared_at) as cleared_at, analysis.instant(acknowledged_at) as acknowledged_at, acknowledged_by, analysis.instant(learned_at) as learned_at,
           value, extreme, cleared_value, unit, when_text as test, sentence, cause,
           level, worst, latched, shelved, learned_late, handed_to, comment, mark
    from public.alarm where not drill;
