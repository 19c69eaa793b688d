-- +goose Up

-- What was removed, with all that went with it; for 30 days it can be brought back.
create table removed (
    id         bigint generated always as identity primary key,
    kind       text not null,
    name       text not null,
    title      text not null default '',
    removed_at bigint not null,
    removed_by text not null,
    body       jsonb not null,                 -- rows in the order in which they are put back, and what pointed at them
    signals    bigint[] not null default '{}', -- whose readings are kept meanwhile
    devices    bigint[] not null default '{}'  -- whose frames are
);
create index on removed (kind, name, removed_at desc);
create index on removed (removed_at);

-- Frames stay as long as their device can be brought back.
alter table frame drop constraint frame_device_id_fkey;
