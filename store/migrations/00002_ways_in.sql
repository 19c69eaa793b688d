-- +goose Up

alter table device
    add behind_id        bigint references device on delete set null, -- the gateway it stands behind
    add kit              text not null default '',
    add closed           boolean not null default false, -- no new signals appear
    add interval         bigint not null default 0,      -- stated, nanoseconds; 0: not stated
    add clock_offset     double precision not null default 0, -- seconds added to the times it sends
    add silence_alarm    boolean not null default true,
    add enrolled         boolean not null default false, -- the enrolment key may send for it
    add settings         jsonb not null default '{}',
    add settings_version integer not null default 0,
    add settings_at      bigint not null default 0,
    add running_version  integer not null default 0, -- what the device says it runs
    add running          jsonb not null default '{}',
    add running_at       bigint not null default 0;
create index on device (behind_id) where behind_id is not null;

-- What the pipeline knows of a device's life. due_at is when to look whether it is silent; it is
-- moved on when it has passed, not with every reading.
create table device_state (
    device_id      bigint primary key references device on delete cascade,
    changed_in     bigint not null default 0,
    silent_since   bigint not null default 0,
    counted_from   bigint not null default 0, -- silence is not counted before this
    late_since     bigint not null default 0, -- arrival of the first of nothing but late readings
    catching_since bigint not null default 0, -- since when its newest readings are old on arrival
    alarm_id       bigint,                    -- standing alarm of silence
    clock_alarm_id bigint,                    -- standing alarm of a clock fault
    due_at         bigint
);
create index on device_state (due_at) where due_at is not null;
create index on device_state (changed_in);
insert into device_state (device_id) select id from device;

-- What was last seen of a device, written now and then, outside of the commits.
create table device_contact (
    device_id    bigint primary key references device on delete cascade,
    at           bigint not null default 0,
    protocol     text not null default '',
    address      text not null default '',
    online_until bigint not null default 0, -- it holds a connection (MQTT), as far as is known until then
    clock_behind bigint,                         -- milliseconds, of the newest timed pack; negative: ahead
    per_minute   double precision not null default 0,
    refused_at   bigint not null default 0,
    refused      text not null default ''
);

-- Keys that nobody has, as they were tried.
create table knock (
    at       bigint not null,
    protocol text not null,
    address  text not null,
    name     text not null -- as whom; empty: it did not say
);
create index on knock (at);

alter table device_key
    add id             bigint generated always as identity unique,
    add number         integer not null default 1, -- counts a device's keys; the DTLS identity is NAME or NAME.number
    add sealed         bytea,                      -- the key itself for DTLS, sealed with the key file
    add expires_at     bigint,
    add until_used     bigint,                     -- id of the newer key whose first use ends this one
    add last_used_at   bigint not null default 0,
    add last_used_from text not null default '',
    add last_used_by   text not null default '';

-- Keys of devices that were deleted.
create table former_key (
    hash       bytea primary key,
    name       text not null,
    sealed     bytea,
    deleted_at bigint not null
);

alter table site
    add enrolment_hash   bytea,
    add enrolment_sealed bytea;

create table arrival (
    id       bigint generated always as identity primary key,
    name     text not null unique,
    state    text not null default 'waiting' check (state in ('waiting', 'turned away')),
    former   boolean not null default false, -- a deleted device, by its old key
    first_at bigint not null,
    last_at  bigint not null,
    protocol text not null,
    address  text not null,
    readings integer not null default 0, -- kept
    dropped  integer not null default 0  -- beyond what is kept
);
create table arrival_pack (
    id         bigint generated always as identity primary key,
    arrival_id bigint not null references arrival on delete cascade,
    arrived    bigint not null,
    readings   integer not null,
    samples    jsonb not null
);
create index on arrival_pack (arrival_id);

create table kit (
    name       text primary key,
    version    integer not null,
    body       jsonb not null,
    changed_at bigint not null
);

alter table signal
    add quantity  text not null default '',
    add span_low  double precision,
    add span_high double precision,
    add step      double precision not null default 0,
    add bands     jsonb not null default '[]',
    add interval  bigint not null default 0,
    drop constraint signal_kind_check,
    add constraint signal_kind_check check (kind in ('number', 'switch', 'text', 'data'));

-- A reading of a text or data signal holds the number of its word.
create table word (
    id   bigint generated always as identity primary key,
    hash bytea not null unique, -- SHA-256
    text text not null
);

alter table signal_state
    add arrived_at   bigint not null default 0, -- when the newest reading arrived
    add silent_since bigint not null default 0;
update signal_state set arrived_at = received_at;

alter table guard add kit_guard text not null default ''; -- its name in the kit it came from
alter table guard_state add silent_since bigint not null default 0;

alter table alarm add kind text not null default 'guard' check (kind in ('guard', 'silence', 'clock'));

-- A notice about a device that catches up is held back until due; held names the device.
alter table notice
    add held_for bigint,
    drop constraint notice_state_check,
    add constraint notice_state_check check (state in ('waiting', 'sent', 'given up', 'held', 'summed up')),
    drop constraint notice_kind_check,
    add constraint notice_kind_check check (kind in ('raise', 'return', 'summary'));
create index notice_held on notice (held_for) where state = 'held';

-- Since when the ways in are up, over all processes.
create table way_in (
    one      boolean primary key default true check (one),
    uid      uuid not null default gen_random_uuid(), -- tells this site from others at an outside broker
    up_since bigint not null default 0,
    beat_at  bigint not null default 0
);
insert into way_in default values;

-- Which process reads which share of the devices from an outside broker.
create table broker_share (
    share  integer primary key,
    holder text not null default '',
    until  bigint not null default 0
);

