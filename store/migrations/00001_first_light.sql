-- +goose Up

-- Instants are milliseconds since 1970 (bigint); the views for analysts give them as timestamptz.

-- The ledger has one row. Every commit of the pipeline takes it first, so commits stand in one line
-- over all processes, and commit_no counts them without a gap.
create table ledger (
    one       boolean primary key default true check (one),
    commit_no bigint not null default 0, -- of the newest commit
    config_no bigint not null default 0  -- raised whenever devices, keys, signals or guards change
) with (fillfactor = 10);
insert into ledger default values;

create table site (
    one      boolean primary key default true check (one),
    name     text not null,
    zone     text not null,
    currency text not null
);
insert into site (name, zone, currency) values ('My site', 'UTC', 'EUR');

create table person (
    id            bigint generated always as identity primary key,
    email         text not null unique,
    name          text not null default '',
    role          text not null check (role in ('viewer', 'keeper', 'owner')),
    password_hash text not null,
    created_at    bigint not null
);

-- A token lets a person in: a session of the console or a bearer token of the command line.
create table token (
    hash       bytea primary key, -- SHA-256 of 256 random bits
    person_id  bigint not null references person on delete cascade,
    session    boolean not null,
    created_at bigint not null,
    expires_at bigint not null
);
create index on token (person_id);

create table device (
    id         bigint generated always as identity primary key,
    name       text not null unique,
    title      text not null default '',
    created_at bigint not null
);

create table device_key (
    hash       bytea primary key, -- SHA-256 of 160 random bits
    device_id  bigint not null references device on delete cascade,
    created_at bigint not null
);
create index on device_key (device_id);

create table signal (
    id         bigint generated always as identity primary key,
    device_id  bigint not null references device on delete cascade,
    name       text not null,
    title      text not null default '',
    kind       text not null check (kind in ('number', 'switch')),
    unit       text not null default '',
    created_at bigint not null,
    unique (device_id, name)
);

-- What is newest of a signal. It changes with every commit that brings a reading.
create table signal_state (
    signal_id   bigint primary key references signal on delete cascade,
    changed_in  bigint not null,           -- commit_no
    at          bigint not null default 0, -- newest reading
    value       double precision not null default 0,
    quality     smallint not null default 0,
    received_at bigint not null default 0,
    held_at     bigint not null default 0, -- newest usable reading
    held        double precision not null default 0,
    stepped_at  bigint not null default 0  -- readings at or before this are late
) with (fillfactor = 40);

-- No unique index: newer than the signal's newest cannot be a duplicate, the others are looked up.
create table reading (
    at        bigint not null,
    value     double precision not null,
    signal_id integer not null,
    quality   smallint not null
) with (autovacuum_vacuum_insert_threshold = 20000, autovacuum_vacuum_insert_scale_factor = 0.02);
create index reading_at on reading using brin (at) with (pages_per_range = 16, autosummarize = on);

create table guard (
    id         bigint generated always as identity primary key,
    signal_id  bigint not null references signal on delete cascade,
    name       text not null unique,
    when_text  text not null,
    deadband   double precision not null,
    on_delay   bigint not null, -- nanoseconds, as in the code
    off_delay  bigint not null,
    severity   text not null check (severity in ('advisory', 'warning', 'critical')),
    tell       text[] not null,
    advice     text not null
);
create index on guard (signal_id);

create table guard_state (
    guard_id     bigint primary key references guard on delete cascade,
    changed_in   bigint not null,
    phase        smallint not null default 0,
    acknowledged boolean not null default false,
    since        bigint not null default 0,
    raised_at    bigint not null default 0,
    extreme      double precision not null default 0,
    begun_at     bigint not null default 0, -- readings at or before this are not stepped
    due_at       bigint,                    -- when the running delay ends
    alarm_id     bigint                     -- the standing alarm
) with (fillfactor = 40);
create index on guard_state (due_at) where due_at is not null;
create index on guard_state (alarm_id) where alarm_id is not null;

-- Guard and signal are kept by name: an alarm outlives both.
create table alarm (
    id              bigint generated always as identity primary key,
    changed_in      bigint not null,
    guard           text not null,
    signal          text not null,
    severity        text not null,
    raised_at       bigint not null,
    cleared_at      bigint,
    acknowledged_at bigint,
    acknowledged_by text not null default '',
    learned_at      bigint not null,
    value           double precision not null,
    extreme         double precision not null,
    cleared_value   double precision,
    unit            text not null,
    when_text       text not null,
    advice          text not null,
    sentence        text not null,
    cause           text not null default ''
);
create index on alarm (changed_in);
create index on alarm (raised_at);
create index on alarm (signal, raised_at);
create index alarm_standing on alarm (id) where cleared_at is null;

create table journal (
    id         bigint generated always as identity primary key,
    commit_no  bigint not null,
    at         bigint not null,
    learned_at bigint not null,
    kind       text not null,
    subject    text not null,
    who        text not null default '',
    value      double precision,
    text       text not null,
    alarm_id   bigint
);
create index on journal (alarm_id) where alarm_id is not null;

-- The outbox. A notice stands here from the commit that planned it; only its state changes.
create table notice (
    id            bigint generated always as identity primary key,
    alarm_id      bigint not null references alarm,
    kind          text not null check (kind in ('raise', 'return')),
    carrier       text not null,
    address       text not null,
    subject       text not null,
    text          text not null,
    state         text not null default 'waiting' check (state in ('waiting', 'sent', 'given up')),
    created_at    bigint not null,
    due_at        bigint not null, -- not tried before
    attempts      integer not null default 0,
    claimed_until bigint not null default 0
);
create index on notice (due_at) where state = 'waiting';
create index on notice (alarm_id);

create table delivery (
    id        bigint generated always as identity primary key,
    notice_id bigint not null references notice on delete cascade,
    at        bigint not null,
    ok        boolean not null,
    answer    text not null -- the server's own words
);
create index on delivery (notice_id);

-- What was answered to a pack that brought an Idempotency-Key, kept for a day.
create table idempotency (
    sender  text not null,
    key     text not null,
    at      bigint not null,
    outcome jsonb not null,
    primary key (sender, key)
);
create index on idempotency (at);
