-- +goose Up

-- When the guard's own rung clears; empty: the opposite of when_text, at the limit moved by the deadband.
alter table guard add clears text not null default '';

-- Raised while its device was catching up, or had not been heard since the service was away: a late reading may disprove it.
alter table alarm add provisional boolean not null default false;

-- Since when, and until when, the service was away while delays of the device's guards ran. absent_from is 0 once the device was
-- heard again; absent_until is 0 once the delays go on without that.
alter table device_state add absent_from bigint not null default 0;
alter table device_state add absent_until bigint not null default 0;

alter table alarm drop constraint alarm_kind_check;
alter table alarm add constraint alarm_kind_check
    check (kind in ('guard', 'silence', 'clock', 'disk', 'sensor', 'verification', 'carrier', 'drill', 'output', 'service'));

-- Of an alarm that late readings disprove: since when the value has met the test again by what is known then; 0: it does not.
alter table guard_event add since bigint not null default 0;
