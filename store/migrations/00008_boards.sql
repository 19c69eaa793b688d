-- +goose Up

-- What people put together to look at. A board that was removed keeps its row for 30 days.
create table board (
    id         bigint generated always as identity primary key,
    name       text not null,
    title      text not null default '',
    shared     boolean not null default false,
    maker      text not null,
    maker_id   bigint references person on delete set null,
    version    integer not null default 0,
    tiling     jsonb not null,
    draft      jsonb,
    removed_at bigint
);

create unique index board_name on board (name) where removed_at is null;

create table board_version (
    board_id     bigint not null references board on delete cascade,
    number       integer not null,
    tiling       jsonb not null,
    published_by text not null,
    published_at bigint not null,
    note         text not null default '',
    primary key (board_id, number)
);

create table picture (
    id      bigint generated always as identity primary key,
    name    text not null,
    type    text not null,
    width   integer not null,
    height  integer not null,
    size    integer not null,
    body    bytea not null,
    made_by text not null,
    made_at bigint not null
);

-- What a person sees first; who is not here sees what is wrong now.
create table board_start (
    person_id bigint primary key references person on delete cascade,
    board_id  bigint not null references board on delete cascade
);
