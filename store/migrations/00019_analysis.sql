-- +goose Up

-- What analysts see: texts as texts, alarms and journal with all that the API tells of them, and readings of a stretch
-- without opening blocks beside it.
drop function analysis.readings(text, text, timestamptz, timestamptz);
drop view analysis.reading;
drop view analysis.signal;
drop view analysis.alarm;
drop view analysis.journal;

create view analysis.signal as
    select d.name as device, s.name as signal, coalesce(nullif(s.title, ''), s.name) as title, s.kind, s.unit,
           analysis.instant(nullif(st.at, 0)) as newest_at, case when st.at > 0 and s.kind not in ('text', 'data') then st.value end as newest,
           w.text as newest_text
    from public.signal s join public.device d on d.id = s.device_id join public.signal_state st on st.signal_id = s.id
    left join public.word w on s.kind in ('text', 'data') and st.at > 0 and w.id = st.value::bigint;

-- Nothing tells PostgreSQL that a reading lies within its block, so that a condition on its time alone opens every block.
create view analysis.reading as
    select d.name as device, s.name as signal, analysis.instant(r.at) as at,
           case when s.kind in ('text', 'data') then null when s.calibrated then public.calibrated(s.id::integer, r.at, r.value) else r.value end as value,
           w.text, s.unit, analysis.marks(r.quality) as quality, case when s.kind not in ('text', 'data') then r.value end as raw,
           analysis.instant(r.first_at) as block_first_at, analysis.instant(r.last_at) as block_last_at
    from (select *, exists (select from public.calibration c where c.signal_id = signal.id and c.retired_at is null) as calibrated from public.signal) s
    join public.device d on d.id = s.device_id
    cross join lateral (
        select b.at, b.value, b.quality, k.first_at, k.last_at from public.block k cross join lateral public.block_readings(k.body) b
        where k.signal_id = s.id
        union all select p.at, p.value, p.quality, p.at, p.at from public.reading p where p.signal_id = s.id) r
    left join public.word w on s.kind in ('text', 'data') and w.id = r.value::bigint;

-- PostgreSQL puts this one in the place where it is asked for, so that conditions on device and signal reach the blocks.
create function analysis.readings(since timestamptz, until timestamptz)
returns table (device text, signal text, at timestamptz, value double precision, text text, unit text, quality text[], raw double precision)
language sql stable as $$
    select r.device, r.signal, r.at, r.value, r.text, r.unit, r.quality, r.raw from analysis.reading r
    where r.block_last_at >= readings.since and r.block_first_at < readings.until and r.at >= readings.since and r.at < readings.until
$$;
create function analysis.readings(device text, signal text, since timestamptz, until timestamptz)
returns table (at timestamptz, value double precision, text text, unit text, quality text[], raw double precision)
language sql stable as $$
    select r.at, r.value, r.text, r.unit, r.quality, r.raw from analysis.readings(readings.since, readings.until) r
    where r.device = readings.device and r.signal = readings.signal order by r.at
$$;

create view analysis.alarm as
    select id, kind, guard, signal, about, level, severity, worst, case when cleared_at is null then 'raised' else 'over' end as state,
           analysis.instant(raised_at) as raised_at, analysis.instant(cleared_at) as cleared_at, analysis.instant(acknowledged_at) as acknowledged_at, acknowledged_by,
           analysis.instant(learned_at) as learned_at, value, extreme, cleared_value, unit, when_text as test, advice, sentence, ending, cause,
           latched, shelved, learned_late, handed_to, handed_by, comment, mark, marked_by, told_with, analysis.instant(corrected_at) as corrected_at
    from public.alarm where not drill;

create view analysis.journal as
    select j.id, analysis.instant(j.at) as at, analysis.instant(j.learned_at) as learned_at, j.kind, j.subject, j.who, j.value, j.text, j.alarm_id,
           coalesce(a.worst, '') as severity,
           case when j.kind in ('alarm raised', 'alarm over', 'alarm learned late') then (a.cleared_at - a.raised_at) / 1000.0 end as lasted_seconds
    from public.journal j left join public.alarm a on a.id = j.alarm_id;
