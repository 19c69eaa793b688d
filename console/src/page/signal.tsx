import { useQuery } from '@tanstack/react-query'
import { useParams, useSearchParams } from 'react-router'
import { api, pathOf, type Signal, take } from '../api/client'
import { useNow } from '../api/live'
import { useAlarms, useGuards, useSignals, useSite } from '../api/queries'
import { age, length, reads, sentence, shown } from '../api/words'
import {
  Above,
  BigFigure,
  Failure,
  Heading,
  PlainLink,
  Prose,
  QuietLink,
  Row,
  Soft,
  Subheading,
  Well,
} from '../ui/basics'
import { Choice } from '../ui/choice'
import { Shape, Silent, toneOf } from '../ui/severity'
import { AlarmTable } from './alarm-table'
import { SignalChart } from './signal-chart'

const hours = 3600_000
const spans = {
  hour: hours,
  day: 24 * hours,
  week: 168 * hours,
  month: 720 * hours,
  quarter: 2184 * hours,
  year: 8760 * hours,
}
type Span = keyof typeof spans
const names: Record<Span, string> = {
  hour: 'Last hour',
  day: 'Day',
  week: 'Week',
  month: '30 days',
  quarter: '91 days',
  year: 'Year',
}

/** One signal: its value, its line, what guards it, its alarms. */
export function SignalPage() {
  const { device = '', signal: name = '' } = useParams()
  const path = `${device}/${name}`
  const [query, setQuery] = useSearchParams()
  const asked = query.get('last') ?? ''
  const span = asked in spans ? (asked as Span) : 'hour'
  const now = useNow()
  const zone = useSite().data?.zone ?? 'UTC'
  const signals = useSignals()
  const recent = useAlarms()
  const guards = (useGuards().data ?? []).filter((g) => g.signal === path)
  const past = useQuery({
    queryKey: ['alarms of', path],
    queryFn: () => take(api.GET('/api/v1/alarms', { params: { query: { all: true, signal: path, limit: 100 } } })),
  })
  const signal = signals.data?.find((s) => pathOf(s) === path)
  if (signals.error) return <Failure error={signals.error} />
  if (!signals.data) return <Soft>Looking …</Soft>
  if (!signal) return <Failure error={new Error(`There is no signal ${path}.`)} />

  // The list of recent alarms is kept live; the signal's own list goes further back.
  const byID = new Map(
    [...(past.data ?? []), ...(recent.data ?? []).filter((a) => a.signal === path)].map((a) => [a.id, a]),
  )
  const alarms = [...byID.values()].sort((a, b) => b.id - a.id)
  const worded = signal.kind === 'text' || signal.kind === 'data'
  const standing = alarms.find((a) => a.state === 'raised')
  return (
    <>
      <title>{`${signal.device_title} ${signal.title} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/">Now</PlainLink> ·{' '}
        <PlainLink href={`/devices/of/${signal.device}`}>{signal.device_title}</PlainLink>
      </Above>
      <Heading>{signal.title}</Heading>
      <Row>
        <span data-signal={path}>
          <BigFigure value={reads(signal)} unit={shown(signal.unit)} tone={standing && toneOf(standing.severity)} />
        </span>
        <Soft>{age(signal.at, now)}</Soft>
        {signal.silent_since && <Silent />}
      </Row>
      {standing && (
        <Prose>
          <Shape of={standing.severity} /> <PlainLink href={`/alarms/${standing.id}`}>{sentence(standing)}</PlainLink>{' '}
          <Soft>for {length(now - Date.parse(standing.raised_at))}</Soft>
        </Prose>
      )}
      <Facts signal={signal} />
      {!worded && (
        <Well>
          <Choice
            label="Stretch"
            options={names}
            value={span}
            onChange={(last) => setQuery({ last }, { replace: true })}
          />
          <SignalChart
            key={span}
            signal={signal}
            stretch={{ span: spans[span] }}
            now={now}
            zone={zone}
            alarms={alarms}
          />
          <Prose>
            <QuietLink href={`/history?what=${path}`}>Take these readings out</QuietLink>
          </Prose>
        </Well>
      )}
      <Subheading>What guards it</Subheading>
      {guards.length === 0 ? (
        <Prose>
          Nothing yet. Add a guard on the command line: <code>jaunty guard add {path} --when 'above 30'</code>
        </Prose>
      ) : (
        <ul>
          {guards.map((g) => (
            <li key={g.id}>
              {g.severity} when {g.when} {shown(signal.unit)}
              {g.on_delay !== '0s' && ` for ${g.on_delay}`}
              {g.tell?.length ? `, tells ${g.tell.join(' and ')}` : ', tells nobody'} <Soft>· {g.name}</Soft>
            </li>
          ))}
        </ul>
      )}
      <Subheading>Its alarms</Subheading>
      {alarms.length === 0 ? <Prose>None yet.</Prose> : <AlarmTable alarms={alarms.slice(0, 20)} zone={zone} />}
    </>
  )
}

/** What is known of the instrument. */
function Facts({ signal: s }: { signal: Signal }) {
  const unit = shown(s.unit)
  const facts: string[] = []
  if (s.quantity) facts.push(s.quantity)
  if (s.span_low != null && s.span_high != null) facts.push(`plausible ${s.span_low} to ${s.span_high} ${unit}`)
  if (s.step) facts.push(`in steps of ${s.step} ${unit}`)
  if (s.interval !== '0s') facts.push(`expected every ${s.interval}`)
  for (const b of s.bands)
    facts.push(`${b.name} ${b.from ?? ''}${b.from == null ? 'up to ' : b.to == null ? ' and up' : ' to '}${b.to ?? ''}`)
  return facts.length > 0 ? <Prose>{facts.join(' · ')}</Prose> : null
}
