-- +goose Up

alter table site
    add emergency jsonb; -- who put all outputs into the safe state, when and why; null: nobody

alter table drill
    add outputs boolean not null default false; -- it drives interlocks too

alter table alarm
    drop constraint alarm_kind_check,
    add constraint alarm_kind_check check (kind in ('guard', 'silence', 'clock', 'disk', 'sensor', 'verification', 'carrier', 'drill', 'output'));

create table output (
    id              bigint generated always as identity primary key,
    device_id       bigint not null references device on delete cascade,
    name            text not null,
    title           text not null default '',
    kind            text not null check (kind in ('switch', 'level', 'colour', 'text')),
    on_sends        text not null default '',
    off_sends       text not null default '',
    low             double precision not null default 0,
    high            double precision not null default 0,
    step            double precision not null default 0,
    unit            text not null default '',
    length          integer not null default 0,
    safe            text not null,
    rest            text not null default '',
    least_on        bigint not null default 0,
    least_off       bigint not null default 0,
    starts_per_hour integer not null default 0,
    hands_off       boolean not null default false,
    hand_holds      bigint not null default 0,
    dangerous       boolean not null default false,
    expires         bigint not null default 0,
    confirm_within  bigint not null default 0,
    mute            boolean not null default false,
    unique (device_id, name)
);

-- What an output is ordered, by whom and why, and what its device says. order_no is the number of the commit that ordered it.
create table output_state (
    output_id     bigint primary key references output on delete cascade,
    changed_in    bigint not null,
    ordered       text not null,
    order_no      bigint not null,
    ordered_at    bigint not null,
    ordered_by    text not null check (ordered_by in ('emergency', 'safety', 'hand', 'interlock', 'schedule', 'rest')),
    interlock     text not null default '',
    who           text not null default '',
    why           text not null default '',
    hand          jsonb,
    waiting       jsonb,
    turned_at     bigint not null default 0,
    started       jsonb not null default '[]',
    confirmed     text,
    confirmed_at  bigint,
    differs_since bigint,
    alarm_id      bigint references alarm,
    due_at        bigint
) with (fillfactor = 40);
create index on output_state (due_at) where due_at is not null;
create index on output_state (changed_in);

create table interlock (
    id        bigint generated always as identity primary key,
    output_id bigint not null references output on delete cascade,
    name      text not null unique,
    alarm     text not null default '',
    signal_id bigint references signal on delete cascade,
    when_text text not null default '',
    deadband  double precision not null default 0,
    on_delay  bigint not null default 0,
    off_delay bigint not null default 0,
    bands     jsonb not null default '[]',
    hours     text not null default '',
    formula   text not null default '',
    inputs    jsonb not null default '[]', -- signals by their paths
    set_to    text not null default '',
    safety    boolean not null default false,
    latch     boolean not null default false,
    made_at   bigint not null
);

-- What an interlock remembers; condition is that of its guard of one rung (alarm.Kept).
create table interlock_state (
    interlock_id bigint primary key references interlock on delete cascade,
    changed_in   bigint not null,
    asks         boolean not null default false,
    asks_for     text not null default '',
    since        bigint not null default 0,
    latched      boolean not null default false,
    waits        boolean not null default false,
    blind        text not null default '',
    why          text not null default '',
    band         integer not null default 0,
    begun_at     bigint not null default 0,
    condition    bytea not null,
    due_at       bigint
) with (fillfactor = 40);
create index on interlock_state (due_at) where due_at is not null;

create view analysis.output as
    select o.id, d.name as device, o.name, o.title, o.kind, o.safe, coalesce(nullif(o.rest, ''), o.safe) as rest, st.ordered, analysis.instant(st.ordered_at) as ordered_at,
           st.ordered_by, st.interlock, st.who, st.why, st.confirmed, analysis.instant(st.confirmed_at) as confirmed_at
    from public.output o join public.device d on d.id = o.device_id join public.output_state st on st.output_id = o.id;
