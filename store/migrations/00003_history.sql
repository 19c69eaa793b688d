-- +goose Up

-- Sealed readings: one row for a stretch of one signal. The blocks of a signal do not overlap. What
-- body holds is told in docs/block-format.md; block_readings reads it.
create table block (
    signal_id   integer not null,
    first_at    bigint not null,
    last_at     bigint not null,
    count       integer not null,
    usable      integer not null,
    first_value double precision not null,
    last_value  double precision not null,
    low_at      bigint not null,
    low         double precision not null,
    high_at     bigint not null,
    high        double precision not null,
    sum         double precision not null, -- of usable readings
    held        double precision not null, -- value times milliseconds to the next usable reading in the block
    held_for    bigint not null,           -- those milliseconds
    gap         bigint not null,           -- the longest of them
    marks       integer[],                 -- how many readings carry each mark; null: none does
    digest      bigint not null,
    body        bytea not null,
    primary key (signal_id, first_at)
);

-- Figures of hours and days, computed anew whenever the readings behind them change.
create table figure (
    signal_id   integer not null,
    period      integer not null, -- seconds: 3600, or 86400 for a day in the site's time zone
    at          bigint not null,
    count       integer not null,
    left_out    integer not null,
    first_at    bigint not null,
    first_value double precision not null,
    last_at     bigint not null,
    last_value  double precision not null,
    low_at      bigint not null,
    low         double precision not null,
    high_at     bigint not null,
    high        double precision not null,
    sum         double precision not null,
    held        double precision not null,
    held_for    bigint not null,
    primary key (signal_id, period, at)
);

-- This stretch of this signal changed: what is computed from it does not hold until it is computed anew.
create table stale (
    id        bigint generated always as identity primary key,
    signal_id integer not null,
    from_at   bigint not null, -- moves on as the work does
    until_at  bigint not null,
    begun_at  bigint not null, -- from_at as it was at first
    noted_at  bigint not null
);
create index on stale (signal_id);

-- What people cleared. It is kept for a while for undo.
create table clearing (
    id         bigint generated always as identity primary key,
    what       text not null, -- DEVICE/SIGNAL, DEVICE, or empty for all
    from_at    bigint not null,
    until_at   bigint not null,
    readings   bigint not null default 0, -- taken away so far
    who        text not null,
    ordered_at bigint not null,
    gone_at    bigint not null, -- no undo after this
    state      text not null check (state in ('running', 'cleared', 'undoing', 'undone', 'gone'))
);
create table clearing_step (
    clearing_id bigint not null references clearing on delete cascade,
    signal_id   integer not null,
    primary key (clearing_id, signal_id)
);
create index on clearing_step (signal_id);
create table cleared_block (
    clearing_id bigint not null references clearing on delete cascade,
    signal_id   integer not null,
    first_at    bigint not null,
    last_at     bigint not null,
    count       integer not null,
    digest      bigint not null,
    body        bytea not null,
    primary key (clearing_id, signal_id, first_at)
);

-- For how long readings and figures are kept, in nanoseconds as in the code; 0: nobody says, -1: for ever.
alter table signal
    add keep_readings bigint not null default 0,
    add keep_figures  bigint not null default 0,
    add readings_from bigint not null default 0, -- those before it were let go
    add hold          bigint not null default 0; -- for how long a value holds in its figures, in milliseconds; 0: nobody has looked yet
alter table site
    add keep_readings bigint not null default 0,
    add keep_figures  bigint not null default 0,
    add figures_zone  text not null default '', -- the time zone of the days in figure
    add disk_alarm_id bigint; -- standing alarm of a disk that is nearly full
alter table alarm
    drop constraint alarm_kind_check,
    add constraint alarm_kind_check check (kind in ('guard', 'silence', 'clock', 'disk'));

-- block_readings gives the readings in the body of a block.
-- +goose StatementBegin
create function block_varint(data bytea, inout place integer, out number bigint) language plpgsql immutable strict parallel safe as $$
declare
    b integer;
    shift integer := 0;
begin
    number := 0;
    loop
        b := get_byte(data, place);
        place := place + 1;
        number := number | ((b & 127)::bigint << shift);
        exit when b < 128;
        shift := shift + 7;
    end loop;
end $$;
-- +goose StatementEnd

-- +goose StatementBegin
create function block_readings(body bytea) returns table (at bigint, value double precision, quality smallint) language plpgsql immutable strict parallel safe rows 4000 as $$
declare
    data bytea := body || ''::bytea; -- unpacked once, not for each byte
    count bigint;
    length bigint;
    form_t integer; place_t integer;            -- times
    form_v integer; place_v integer;            -- values
    place_q integer; size integer := octet_length(body);
    step bigint := 0; change bigint := 0; times bigint := 0;
    whole bigint := 0; power double precision := 1; bits bigint := 0; differ bigint; exponent integer;
    same bigint := 0; marks bigint := 0;
    b integer; u bigint; shift integer; n integer;
begin
    if get_byte(data, 0) <> 1 then
        raise exception 'block_readings: version % is not known', get_byte(data, 0);
    end if;
    select r.place, r.number into place_t, count from public.block_varint(data, 1) r;
    form_t := get_byte(data, place_t);
    select r.place, r.number into place_t, length from public.block_varint(data, place_t + 1) r;
    place_v := place_t + length;
    form_v := get_byte(data, place_v);
    select r.place, r.number into place_v, length from public.block_varint(data, place_v + 1) r;
    place_q := place_v + length;
    if form_v >= 100 then
        power := ('1e' || form_v - 100)::double precision;
    end if;
    select r.place, r.number into place_t, u from public.block_varint(data, place_t) r;
    at := ((u >> 1) & 9223372036854775807) # -(u & 1);
    for i in 1..count loop
        if i > 1 then
            if form_t = 0 or times = 0 then
                b := get_byte(data, place_t);
                place_t := place_t + 1;
                u := b & 127;
                shift := 7;
                while b > 127 loop
                    b := get_byte(data, place_t);
                    place_t := place_t + 1;
                    u := u | ((b & 127)::bigint << shift);
                    shift := shift + 7;
                end loop;
                change := ((u >> 1) & 9223372036854775807) # -(u & 1);
                if form_t = 1 then
                    select r.place, r.number into place_t, times from public.block_varint(data, place_t) r;
                end if;
            end if;
            times := times - 1;
            step := step + change;
            at := at + step;
        end if;
        b := get_byte(data, place_v);
        place_v := place_v + 1;
        if form_v >= 100 then
            u := b & 127;
            shift := 7;
            while b > 127 loop
                b := get_byte(data, place_v);
                place_v := place_v + 1;
                u := u | ((b & 127)::bigint << shift);
                shift := shift + 7;
            end loop;
            whole := whole + (((u >> 1) & 9223372036854775807) # -(u & 1));
            value := whole / power;
        else
            differ := 0;
            n := 8 - (b >> 4) - (b & 15);
            for k in 1..n loop
                differ := (differ << 8) | get_byte(data, place_v);
                place_v := place_v + 1;
            end loop;
            bits := bits # (differ << (8 * (b & 15)));
            exponent := (bits >> 52) & 2047;
            if exponent = 0 then
                value := (bits & 4503599627370495)::double precision * power(2::double precision, -1074);
            else
                value := ((bits & 4503599627370495) | 4503599627370496)::double precision * power(2::double precision, exponent - 1075);
            end if;
            if bits < 0 then
                value := -value;
            end if;
        end if;
        if same = 0 and place_q < size then
            select r.place, r.number into place_q, marks from public.block_varint(data, place_q) r;
            select r.place, r.number into place_q, same from public.block_varint(data, place_q) r;
        end if;
        same := same - 1;
        quality := marks;
        return next;
    end loop;
end $$;
-- +goose StatementEnd

-- What analysts see. A role jaunty_analyst, where there is one, may read this schema and nothing else.
create schema analysis;

create function analysis.instant(at bigint) returns timestamptz language sql immutable strict parallel safe as
    'select to_timestamp(at / 1000.0::double precision)';
create function analysis.marks(quality integer) returns text[] language sql immutable parallel safe as $$
    select case when quality = 0 then '{}'::text[] else array_remove(array[case when quality & 1 > 0 then 'implausible' end, case when quality & 2 > 0 then 'warming' end, case when quality & 4 > 0 then 'stuck' end,
        case when quality & 8 > 0 then 'late' end, case when quality & 16 > 0 then 'clock' end, case when quality & 32 > 0 then 'corrected' end, case when quality & 64 > 0 then 'drill' end], null) end
$$;

create view analysis.signal as
    select d.name as device, s.name as signal, coalesce(nullif(s.title, ''), s.name) as title, s.kind, s.unit,
           analysis.instant(nullif(st.at, 0)) as newest_at, case when st.at > 0 then st.value end as newest
    from public.signal s join public.device d on d.id = s.device_id join public.signal_state st on st.signal_id = s.id;

create view analysis.reading as
    select d.name as device, s.name as signal, analysis.instant(r.at) as at, r.value, w.text, s.unit, analysis.marks(r.quality) as quality
    from public.signal s join public.device d on d.id = s.device_id
    cross join lateral (
        select b.at, b.value, b.quality from public.block k cross join lateral public.block_readings(k.body) b where k.signal_id = s.id
        union all select p.at, p.value, p.quality from public.reading p where p.signal_id = s.id) r
    left join public.word w on s.kind in ('text', 'data') and w.id = r.value::bigint;

-- A stretch of one signal, without opening blocks beside it.
create function analysis.readings(device text, signal text, since timestamptz, until timestamptz)
returns table (at timestamptz, value double precision, text text, quality text[])
language sql stable rows 10000 security definer set search_path = pg_catalog, public, pg_temp as $$
    select analysis.instant(r.at), r.value, w.text, analysis.marks(r.quality)
    from public.signal s join public.device d on d.id = s.device_id
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

create view analysis.figure as
    select d.name as device, s.name as signal, f.period, analysis.instant(f.at) as at, f.count, f.left_out, f.first_value as first, f.last_value as last,
           f.low, analysis.instant(nullif(f.low_at, 0)) as low_at, f.high, analysis.instant(nullif(f.high_at, 0)) as high_at,
           case when f.count > 0 then f.sum / f.count end as mean, case when f.held_for > 0 then f.held / f.held_for end as held_mean,
           f.sum, f.held_for / 1000.0 as held_seconds, s.unit
    from public.figure f join public.signal s on s.id = f.signal_id join public.device d on d.id = s.device_id;
create view analysis.hourly as select * from analysis.figure where period = 3600;
create view analysis.daily as select * from analysis.figure where period = 86400;

create view analysis.block as
    select d.name as device, s.name as signal, analysis.instant(b.first_at) as first_at, analysis.instant(b.last_at) as last_at, b.count, b.usable,
           b.low, analysis.instant(b.low_at) as low_at, b.high, analysis.instant(b.high_at) as high_at, b.sum, octet_length(b.body) as bytes
    from public.block b join public.signal s on s.id = b.signal_id join public.device d on d.id = s.device_id;

create view analysis.alarm as
    select id, kind, guard, signal, severity, case when cleared_at is null then 'raised' else 'over' end as state, analysis.instant(raised_at) as raised_at,
           analysis.instant(cleared_at) as cleared_at, analysis.instant(acknowledged_at) as acknowledged_at, acknowledged_by, analysis.instant(learned_at) as learned_at,
           value, extreme, cleared_value, unit, when_text as test, sentence, cause
    from public.alarm;

create view analysis.journal as
    select id, analysis.instant(at) as at, analysis.instant(learned_at) as learned_at, kind, subject, who, value, text, alarm_id from public.journal;
