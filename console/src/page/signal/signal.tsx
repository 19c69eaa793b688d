import { Lines } from '../../ui/list'
import { useQuery } from '@tanstack/react-query'
import { useParams, useSearchParams } from 'react-router'
import { useAlarms } from '../../api/alarm'
import { keyOf } from '../../api/changes'
import { api, pathOf, type Signal, take } from '../../api/client'
import { useGuards } from '../../api/guard'
import { useNow } from '../../api/live'
import { useRecipe, useSignals, useWork } from '../../api/signal'
import { useSite } from '../../api/site'
import { useTotals } from '../../api/total'
import { seen, written } from '../../api/units'
import {
  age,
  amount,
  capital,
  doubt,
  figure,
  fullTitle,
  length,
  ranWords,
  reads,
  readsIn,
  sentence,
  spoken,
  testWords,
  unitWord,
  inWords,
} from '../../api/words'
import { AlarmTable } from '../alarm/table'
import { spans } from '../board/sight'
import { SwitchOffer } from '../output/switch-offer'
import { SignalChart } from './chart'
import { Above, BigFigure, Heading, PlainLink, Prose, QuietLink, Row, Soft, Subheading, Well } from '../../ui/basics'
import { NoPage } from '../../ui/no-page'
import { Shape, Silent, toneOf } from '../../ui/severity'

/** One signal: its value, its line, what guards it, its alarms. */
export function SignalPage() {
  const { device = '', signal: name = '' } = useParams()
  const path = `${device}/${name}`
  const [query] = useSearchParams()
  const span = spans[query.get('last') ?? ''] ?? spans.hour!
  const now = useNow()
  const zone = useSite().data?.zone ?? 'UTC'
  const signals = useSignals()
  const recent = useAlarms()
  const guards = (useGuards().data ?? []).filter((g) => g.signal === path || g.watches === path)
  const past = useQuery({
    queryKey: keyOf('alarms', 'of', path),
    queryFn: () => take(api.GET('/api/v1/alarms', { params: { query: { all: true, signal: path, limit: 100 } } })),
  })
  const signal = signals.data?.find((s) => pathOf(s) === path)
  if (signals.error) return <NoPage error={signals.error} />
  if (!signals.data) return <Soft>Looking …</Soft>
  if (!signal) return <NoPage error={new Error(`There is no signal ${path}.`)} />

  // The list of recent alarms is kept live; the signal's own list goes further back.
  const byID = new Map(
    [
      ...(past.data ?? []),
      ...(recent.data ?? []).filter((a) => a.signal === path || guards.some((g) => g.name === a.guard)),
    ].map((a) => [a.id, a]),
  )
  const alarms = [...byID.values()].sort((a, b) => b.id - a.id)
  const worded = signal.kind === 'text' || signal.kind === 'data'
  const standing = alarms.find((a) => a.state === 'raised')
  return (
    <>
      <title>{`${fullTitle(signal)} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/">Now</PlainLink> ·{' '}
        <PlainLink href={`/devices/of/${signal.device}`}>{signal.device_title}</PlainLink>
      </Above>
      <Heading>{signal.title}</Heading>
      <Row>
        <span data-signal={path}>
          <BigFigure value={reads(signal)} unit={unitWord(signal)} tone={standing && toneOf(standing.severity)} />
        </span>
        <Soft>
          {age(signal.at, now)}
          {signal.calibrated && ' · corrected by calibration'}
          {ranWords(signal, now, zone) && ` · ${ranWords(signal, now, zone)}`}
        </Soft>
        {doubt(signal) && <Silent word={doubt(signal)} />}
        {signal.silent_since && <Silent />}
      </Row>
      {standing && (
        <Prose>
          <Shape of={standing.severity} /> <PlainLink href={`/alarms/${standing.id}`}>{sentence(standing)}</PlainLink>{' '}
          <Soft>for {length(now - Date.parse(standing.raised_at))}</Soft>
        </Prose>
      )}
      {signal.kind === 'number' && <SwitchOffer device={device} signal={name} />}
      <MadeOf signal={signal} />
      <Facts signal={signal} />
      <TotalsOf path={path} />
      {!worded && (
        <Well>
          <SignalChart key={`${path} ${span}`} signal={signal} span={span} tools />
          <Row>
            <QuietLink href={`/guards/new?of=${path}`}>Find a limit</QuietLink>
            {signal.kind === 'number' && (
              <>
                <QuietLink href={`/signals/${path}/trust`}>Calibrate and verify</QuietLink>
                <QuietLink href={`/compare?first=${path}`}>Compare</QuietLink>
              </>
            )}
            <QuietLink href={`/signals/${path}/instrument`}>Instrument</QuietLink>
            <QuietLink href={`/derive?of=${path}`}>Derive a signal</QuietLink>
            <QuietLink href={`/history?what=${path}`}>Export</QuietLink>
          </Row>
        </Well>
      )}
      <Subheading>Guards</Subheading>
      {guards.length === 0 ? (
        <Prose>
          Nothing yet. <QuietLink href={`/guards/new?of=${path}`}>Add a guard</QuietLink>
        </Prose>
      ) : (
        <Lines>
          {guards.map((g) => (
            <li key={g.id}>
              <PlainLink href={`/guards/${g.name}`}>
                {[g, ...(g.rungs ?? [])].map((r) => `${r.severity} when ${testWords(r.when, signal.unit)}`).join('; ')}
                {g.on_delay && ` for ${inWords(g.on_delay)}`}
                {g.tell?.length ? `, tells ${g.tell.join(' and ')}` : ', tells nobody'} <Soft>· {g.name}</Soft>
              </PlainLink>
              {g.shelved && <Silent word="shelved" />}
              {g.out_of_service && <Silent word="out of service" />}
            </li>
          ))}
        </Lines>
      )}
      {guards.length > 0 && (
        <Row $above={3}>
          <QuietLink href={`/guards/new?of=${path}`}>Add another guard</QuietLink>
        </Row>
      )}
      <Subheading>Its alarms</Subheading>
      {alarms.length === 0 ? <Prose>None yet.</Prose> : <AlarmTable alarms={alarms.slice(0, 20)} zone={zone} />}
    </>
  )
}

/** What a derived signal is computed from, and what is computed from a signal. */
function MadeOf({ signal: s }: { signal: Signal }) {
  const recipe = useRecipe(s.device, s.name).data
  const work = useWork(s.device, s.name).data
  if (!recipe || (recipe.inputs.length === 0 && recipe.into.length === 0)) return null
  const link = (other: Signal) => (
    <PlainLink key={other.id} href={`/signals/${pathOf(other)}`}>
      {fullTitle(other)} ({[`${reads(other)} ${readsIn(other)}`.trim(), doubt(other)].filter(Boolean).join(', ')})
    </PlainLink>
  )
  const list = (signals: Signal[]) => signals.map((other, i) => [i > 0 && ', ', link(other)])
  return (
    <Prose data-made-of={s.made_of}>
      {recipe.inputs.length > 0 && (
        <>
          Derived: {s.made_of}. From {list(recipe.inputs)}.{' '}
        </>
      )}
      {recipe.into.length > 0 && <>Derived from it: {list(recipe.into)}. </>}
      {work && work.left > 0 && s.made_of && (
        <Soft>
          What is there is being computed: {Math.round((100 * (work.of - work.left)) / (work.of || 1))} % done.
        </Soft>
      )}
    </Prose>
  )
}

/** What is added up of a signal. */
function TotalsOf({ path }: { path: string }) {
  const totals = (useTotals().data ?? []).filter((t) => t.signal === path)
  if (totals.length === 0) return null
  return (
    <Prose>
      Added up:{' '}
      {totals.map((t, i) => [
        i > 0 && ', ',
        <PlainLink key={t.id} href={`/totals/${t.name}`}>
          {t.title || t.name}
        </PlainLink>,
      ])}
      .
    </Prose>
  )
}

/** What is known of the instrument. */
function Facts({ signal: s }: { signal: Signal }) {
  const facts: string[] = []
  const eye = (v: number | null | undefined) => (v == null ? '' : figure(seen(v, s.unit)))
  if (s.quantity && !s.made_of) facts.push(s.quantity)
  if (s.span_low != null && s.span_high != null)
    facts.push(`plausible ${eye(s.span_low)} to ${amount(s.span_high, s.unit)}`)
  if (s.fails_to) facts.push(`fails to ${s.fails_to === 'both' ? 'both sides' : `the ${s.fails_to} side`}`)
  if (s.step) facts.push(`step ${s.step} ${written(s.unit)}`.trim())
  if (s.warm_up > 0) facts.push(`warms up for ${spoken(s.warm_up)}`)
  if (s.stuck_after > 0) facts.push(`stuck after ${spoken(s.stuck_after)}`)
  if (s.interval > 0) facts.push(`expected every ${spoken(s.interval)}`)
  for (const b of s.bands)
    facts.push(
      s.kind === 'switch'
        ? `${b.name} for ${b.from == null ? 'off' : 'on'}`
        : `${b.name} ${eye(b.from)}${b.from == null ? 'up to ' : b.to == null ? ' and up' : ' to '}${eye(b.to)}`,
    )
  return facts.length > 0 ? <Prose>{capital(facts.join(' · '))}</Prose> : null
}
