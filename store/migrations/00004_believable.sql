-- +goose Up

-- How a signal's instrument fails (durations in nanoseconds, as in the code; 0: nobody says).
alter table signal
    add fails_to       text not null default '' check (fails_to in ('', 'low', 'high', 'both')),
    add warm_up        bigint not null default 0,
    add warm_gap       bigint not null default 0,
    add stuck_after    bigint not null default 0,
    add fault_after    bigint not null default 0,
    add verify_every   text not null default '',  -- as people write it: "6 months"
    add verify_from    bigint not null default 0, -- when that was said
    add due_alarm_id   bigint,                    -- standing alarm of a verification that is due
    add recipe         jsonb,                     -- of a derived signal
    add made_of        text not null default '',  -- that in words
    add holds          bigint[],                  -- for how long each of its inputs held when it was computed, in milliseconds
    add reach          bigint not null default 0, -- how far ahead a change of an input is felt, in milliseconds; -1: for ever
    add silence        bigint not null default 0, -- for how long a value holds in the totals that are kept, in milliseconds; 0: as its interval says
    add computed_until bigint not null default 0; -- what is newer is computed when somebody asks

-- The values behind what is newest, and what must be remembered to judge the next reading.
alter table signal_state
    add raw            double precision not null default 0, -- of the newest reading, before correction
    add held_raw       double precision not null default 0,
    add judged_at      bigint not null default 0,
    add judged_raw     double precision not null default 0,
    add same_since     bigint not null default 0,
    add warm_from      bigint not null default 0,
    add fault_since    bigint not null default 0,
    add beyond_at      bigint not null default 0, -- newest reading beyond the span that a guard may take for beyond its limit
    add beyond_raw     double precision not null default 0,
    add fault_alarm_id bigint,
    add touched_in     bigint not null default 0, -- of a derived signal: the newest commit that changed what it was computed from
    add made_in        bigint not null default 0; -- and the commit in which the machine was made that gave the newest value
update signal_state set raw = value, held_raw = held;

alter table device add uptime text not null default ''; -- the signal that counts seconds since power-on

-- How people want to see values: units by what they measure.
alter table site add units jsonb not null default '{}';
alter table person add units jsonb not null default '{}';

create table calibration (
    id         bigint generated always as identity primary key,
    signal_id  bigint not null references signal on delete cascade,
    from_at    bigint not null, -- in force from then on, until another begins
    method     text not null,
    pairs      jsonb not null,  -- raw values and what the reference said
    curve      jsonb not null,
    note       text not null default '',
    who        text not null,
    made_at    bigint not null,
    retired_at bigint           -- taken back; it corrects nothing any more
);
create index on calibration (signal_id, from_at);

create table verification (
    id        bigint generated always as identity primary key,
    signal_id bigint not null references signal on delete cascade,
    at        bigint not null,
    shown     double precision not null,
    reference double precision not null,
    tolerance double precision not null, -- in the signal's unit
    error     double precision not null, -- shown less reference
    passed    boolean not null,
    unit      text not null,
    note      text not null default '',
    who       text not null
);
create index on verification (signal_id, at);

create table derived_input (
    derived_id bigint not null references signal on delete cascade,
    place      integer not null,
    input_id   bigint not null references signal on delete cascade,
    primary key (derived_id, place)
);
create index on derived_input (input_id);

-- interval_of is how often a reading of a signal is expected; of a derived one, as often as of the slowest that
-- it is computed from.
create function interval_of(signal bigint) returns bigint language sql stable as $$
    with recursive behind(id) as (select interval_of.signal union select i.input_id from derived_input i join behind b on b.id = i.derived_id)
    select coalesce(nullif((select s.interval from signal s where s.id = interval_of.signal), 0), max(coalesce(nullif(s.interval, 0), d.interval)), 0)
    from behind b join signal s on s.id = b.id join device d on d.id = s.device_id where s.recipe is null
$$;

-- This stretch of this derived signal must be computed anew, since its inputs changed.
create table recompute (
    id        bigint generated always as identity primary key,
    signal_id bigint not null references signal on delete cascade,
    from_at   bigint not null, -- moves on as the work does
    until_at  bigint not null,
    begun_at  bigint not null
);
create index on recompute (signal_id);

create table tariff (
    name     text primary key,
    versions jsonb not null
);

create table total (
    id         bigint generated always as identity primary key,
    name       text not null unique,
    title      text not null default '',
    signal_id  bigint not null references signal on delete cascade,
    kind       text not null,
    tariff     text references tariff,
    created_at bigint not null
);
create index on total (signal_id);

create table total_reset (
    id        bigint generated always as identity primary key,
    total_id  bigint not null references total on delete cascade,
    at        bigint not null,
    who       text not null,
    note      text not null default '',
    undone_at bigint
);
create index on total_reset (total_id, at);

-- What the pieces between local midnights and resets come to; computed anew with the figures.
create table tally (
    total_id bigint not null references total on delete cascade,
    at       bigint not null,
    until_at bigint not null,
    known    bigint not null,
    left_out integer not null,
    on_for   bigint not null,
    starts   integer not null,
    lead     bigint not null,
    trail    bigint not null,
    longest  bigint not null,
    last_on  bigint not null,
    amount   numeric not null, -- millionths of the signal's unit times milliseconds
    rates    jsonb not null,
    primary key (total_id, at)
);

alter table alarm
    add corrected_at bigint, -- when readings behind it were corrected; it stays as it was
    drop constraint alarm_kind_check,
    add constraint alarm_kind_check check (kind in ('guard', 'silence', 'clock', 'disk', 'sensor', 'verification'));

-- calibrated gives the true value for a raw one, as package calibrate does.
-- +goose StatementBegin
create function calibrated(signal integer, at bigint, raw double precision) returns double precision language plpgsql stable strict parallel safe security definer set search_path = pg_catalog, public, pg_temp as $$
declare
    c jsonb;
    a jsonb;
    b jsonb;
begin
    select k.curve into c from public.calibration k
    where k.signal_id = calibrated.signal and k.from_at <= calibrated.at and k.retired_at is null order by k.from_at desc, k.id desc limit 1;
    if c is null then
        return raw;
    end if;
    if c ? 'points' then
        for i in 1..jsonb_array_length(c -> 'points') - 1 loop
            a := c -> 'points' -> i - 1;
            b := c -> 'points' -> i;
            exit when (b ->> 'shown')::double precision >= raw;
        end loop;
        return (a ->> 'reference')::double precision + (raw - (a ->> 'shown')::double precision)
            * ((b ->> 'reference')::double precision - (a ->> 'reference')::double precision) / ((b ->> 'shown')::double precision - (a ->> 'shown')::double precision);
    end if;
    return (c ->> 'gain')::double precision * raw + (c ->> 'offset')::double precision;
end $$;
-- +goose StatementEnd

create or replace view analysis.reading as
    select d.name as device, s.name as signal, analysis.instant(r.at) as at,
           case when s.calibrated then public.calibrated(s.id::integer, r.at, r.value) else r.value end as value, w.text, s.unit, analysis.marks(r.quality) as quality, r.value as raw
    from (select *, exists (select from public.calibration c where c.signal_id = signal.id and c.retired_at is null) as calibrated from public.signal) s
    join public.device d on d.id = s.device_id
    cross join lateral (
        select b.at, b.value, b.quality from public.block k cross join lateral public.block_readings(k.body) b where k.signal_id = s.id
        union all select p.at, p.value, p.quality from public.reading p where p.signal_id = s.id) r
    left join public.word w on s.kind in ('text', 'data') and w.id = r.value::bigint;

drop function analysis.readings(text, text, timestamptz, timestamptz);
create function analysis.readings(device text, signal text, since timestamptz, until timestamptz)
returns table (at timestamptz, value double precision, text text, quality text[], raw double precision)
language sql stable rows 10000 security definer set search_path = pg_catalog, public, pg_temp as $$
    select analysis.instant(r.at), case when s.calibrated then public.calibrated(s.id::integer, r.at, r.value) else r.value end, w.text, analysis.marks(r.quality), r.value
    from (select *, exists (select from public.calibration c where c.signal_id = signal.id and c.retired_at is null) as calibrated from public.signal) s
    join public.device d on d.id = s.device_id
    cross join lateral (
        select b.at, b.value, b.quality from public.block k cross join lateral public.block_readings(k.body) b
        where k.signal_id = s.id and k.first_at <= (extract(epoch from readings.until) * 1000)::bigint
          and k.first_at >= coalesce((select max(before.first_at) from public.block before
                                      where before.signal_id = s.id and before.first_at <= (extract(epoch from readings.since) * 1000)::bigint), 0)
        union all select p.at, p.value, p.quality from public.reading p where p.signal_id = s.id) r
    left join public.word w on s.kind in ('text', 'data') and w.id = r.value::bigint
    where d.name = readings.device and s.name = readings.signal
      and r.at between (extract(epoch from readings.since) * 1000)::bigint and (extract(epoch from readings.until) * 1000)::bigint
    order by r.at
$$;

create view analysis.calibration as
    select d.name as device, s.name as signal, analysis.instant(c.from_at) as from_at, c.method, c.pairs, c.curve, c.note, c.who, analysis.instant(c.made_at) as made_at,
           analysis.instant(c.retired_at) as retired_at
    from public.calibration c join public.signal s on s.id = c.signal_id join public.device d on d.id = s.device_id;
create view analysis.verification as
    select d.name as device, s.name as signal, analysis.instant(v.at) as at, v.shown, v.reference, v.tolerance, v.error, v.passed, v.unit, v.note, v.who
    from public.verification v join public.signal s on s.id = v.signal_id join public.device d on d.id = s.device_id;
create view analysis.tally as
    select t.name as total, t.kind, d.name as device, s.name as signal, s.unit, analysis.instant(y.at) as at, analysis.instant(y.until_at) as until_at,
           y.known / 1000.0 as known_seconds, y.on_for / 1000.0 as on_seconds, y.starts, y.longest / 1000.0 as longest_seconds, y.amount / 3600000000000 as unit_hours, y.left_out
    from public.tally y join public.total t on t.id = y.total_id join public.signal s on s.id = t.signal_id join public.device d on d.id = s.device_id;
