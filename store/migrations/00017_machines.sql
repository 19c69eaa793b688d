-- +goose Up

-- What an alarm is about where that is no signal: a carrier, a roster, what the service cannot do.
alter table alarm add column about text not null default '';
