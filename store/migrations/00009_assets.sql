-- +goose Up

-- Things that are looked after. One that was removed keeps its row for 30 days.
create table asset (
    id              bigint generated always as identity primary key,
    name            text not null,
    title           text not null default '',
    kind            text not null default '',
    stands_in       text not null default '',
    note            text not null default '',
    condition       text not null default 'in order',
    condition_why   text not null default '',
    condition_by    text not null default '',
    condition_since bigint not null default 0,
    next_service    text not null default '',
    signals         jsonb not null default '[]',
    outputs         jsonb not null default '[]',
    made_at         bigint not null,
    removed_at      bigint
);

create unique index asset_name on asset (name) where removed_at is null;

-- Photos and papers.
create table attachment (
    id       bigint generated always as identity primary key,
    asset_id bigint not null references asset on delete cascade,
    kind     text not null,
    name     text not null,
    type     text not null,
    width    integer not null default 0,
    height   integer not null default 0,
    size     integer not null,
    body     bytea not null,
    small    bytea,
    made_by  text not null,
    made_at  bigint not null
);

alter table attachment alter column body set storage external;
create index attachment_asset on attachment (asset_id, id);

-- How the frames of a device are read.
create table eye (
    device_id bigint primary key references device on delete cascade,
    eye       jsonb not null
);

create table frame (
    device_id bigint not null references device on delete cascade,
    at        bigint not null,
    low       double precision not null,
    high      double precision not null,
    doubtful  integer not null default 0,
    body      bytea not null,
    picture   bytea,
    primary key (device_id, at)
);

-- Both are packed already.
alter table frame alter column body set storage external;
alter table frame alter column picture set storage external;

alter table arrival_pack add column frame jsonb;

create table run_plan (
    id         bigint generated always as identity primary key,
    name       text not null unique,
    asset_id   bigint not null references asset on delete cascade,
    title      text not null default '',
    signal     text not null default '',
    start_test text not null default '',
    end_test   text not null default '',
    hours      text not null default '',
    goals      jsonb not null default '[]',
    made_at    bigint not null,
    due_at     bigint
);

create index run_plan_due on run_plan (due_at) where due_at is not null;

create table run (
    id         bigint generated always as identity primary key,
    asset_id   bigint not null references asset on delete cascade,
    title      text not null,
    plan       text not null default '',
    how        text not null,
    started_at bigint not null,
    ended_at   bigint,
    started_by text not null default '',
    ended_by   text not null default '',
    goals      jsonb not null default '[]',
    phases     jsonb not null default '[]',
    note       text not null default '',
    check (ended_at is null or ended_at > started_at)
);

create index run_asset on run (asset_id, started_at desc);
create index run_open on run (asset_id) where ended_at is null;
