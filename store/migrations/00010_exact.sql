-- +goose Up

-- When the guard's own rung clears; empty: the opposite of when_text, at the limit moved by the deadband.
alter table guard add clears text not null default '';

-- Raised while its device was catching up, or had not been heard since the service was away: a late reading may disprove it.
alter table alarm add provisional boolean not null default false;
