-- +goose Up

-- What each change of the configuration was about, so that a process takes just that anew: a device with all that hangs on it, or a part
-- of the site.
create table config_change (
    config_no bigint not null, -- of the ledger
    scope     text   not null,
    id        bigint not null default 0, -- of the device
    primary key (config_no, scope, id)
);
