-- +goose Up

-- Of which signals a commit has changed readings, and where: packed stretches, both ends included. After an hour, rows
-- of some minutes become one, which has the number of the last.
create table changed (
    commit_no bigint primary key,
    at        bigint not null, -- when it was committed
    body      bytea  not null
);
create index on changed (at);

-- The same of what acts change, and what goes on in the background: that has no number until the next commit gives it one.
create table amended (
    id        bigint generated always as identity primary key,
    commit_no bigint,
    at        bigint, -- when it was committed
    signal_id integer not null,
    from_at   bigint not null,
    until_at  bigint not null
);
create index on amended (commit_no);
create index amended_unnumbered on amended (id) where commit_no is null;

create index journal_commit_no on journal (commit_no);

-- What commits up to this number have changed is not known any more.
alter table ledger add forgotten_no bigint not null default 0;
update ledger set forgotten_no = commit_no;

-- Programs that read the site with a key of their own.
create table reader (
    id      bigint generated always as identity primary key,
    name    text not null unique,
    devices text[] not null default '{}', -- what is about these alone; none: all
    kinds   text[] not null default '{}', -- of changes; none: all
    hash    bytea unique,                 -- SHA-256 of its key
    made_at bigint not null,
    made_by text not null default '',

    -- Where pages of the feed are posted, up to which place they were taken there, when the next attempt is due, how many
    -- have failed since the last that did not, and what was answered then.
    url      text not null default '',
    place    text not null default '',
    due_at   bigint not null default 0,
    failures integer not null default 0,
    said     text not null default ''
);
insert into reader (name, kinds, hash, made_at)
    select 'reader', '{alarm}', reader_hash, (extract(epoch from now()) * 1000)::bigint from site where reader_hash is not null;
update site set reader_hash = null; -- older archives have the column still
