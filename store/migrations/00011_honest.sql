-- +goose Up

-- Why an alarm is over; empty: it is not.
alter table alarm add ending text not null default '' check (ending in ('', 'back', 'reset', 'unwatched', 'changed', 'disproved', 'drill'));
update alarm set ending = case
        when drill then 'drill'
        when cause = 'readings that came late disprove it' then 'disproved'
        when cause like '%reset it' or cause = 'it was reset' then 'reset'
        when cause in ('', 'it was verified, or need not be') then 'back'
        when cause in ('the guard was changed', 'what is expected of the device was changed', 'it runs at another interval') then 'changed'
        else 'unwatched' end
    where cleared_at is not null;

-- What waits goes by severity, then by age, and to each address in that order.
drop index notice_carrier_urgency_due_at_id_idx;
create index on notice (carrier, urgency, id) where state = 'waiting';
create index on notice (carrier, address, urgency, id) where state = 'waiting';

-- A derived signal that was made for a guard goes with it.
alter table signal add helper boolean not null default false;

-- How bad faults are, and who is told, where that is not as the guards say.
alter table device add faults jsonb not null default '{}';
alter table signal add faults jsonb not null default '{}';

-- The newest run of what goes on and off, and how often it has run on the day of that.
create table switch_run (
    signal_id bigint primary key references signal on delete cascade,
    ran_from  bigint not null,
    ran_until bigint, -- null: it runs
    ran_on    text not null,
    ran_times int not null
);
