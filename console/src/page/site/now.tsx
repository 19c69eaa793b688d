import { useAlarms, useStanding } from '../../api/alarm'
import { pathOf } from '../../api/client'
import { useGuards } from '../../api/guard'
import { useNow } from '../../api/live'
import { restOf, stateWords, titleOf, useOutputs } from '../../api/output'
import { useSignals, useSparks } from '../../api/signal'
import { useSite } from '../../api/site'
import { age, clock, count } from '../../api/words'
import { SignalRow, WrongList } from '../alarm/row'
import { InWords } from './in-words'
import { Above, Code, Heading, PlainLink, Prose, QuietLink, Soft, Subheading } from '../../ui/basics'
import { List } from '../../ui/list'
import { NoPage } from '../../ui/no-page'
import { Shape } from '../../ui/severity'

/** What is wrong, in words, and how everything else is. */
export function Now() {
  const now = useNow()
  const zone = useSite().data?.zone ?? 'UTC'
  const signals = useSignals()
  const standing = useStanding()
  const recent = useAlarms()
  const guards = useGuards().data
  const sparks = new Map((useSparks().data ?? []).map((s) => [s.signal, s]))
  const failure = signals.error ?? standing.error
  if (failure) return <NoPage error={failure} />
  if (!signals.data || !standing.data) return <Soft>Looking …</Soft>

  const wrong = standing.data
  const ill = new Set(wrong.map((a) => a.signal))
  const well = signals.data.filter((s) => !ill.has(pathOf(s)) && s.kind !== 'text' && s.kind !== 'data')
  const today = clock(now, zone, { weekday: 'long', day: 'numeric', month: 'long', hour: '2-digit', minute: '2-digit' })
  return (
    <>
      <title>{wrong.length ? `${count(wrong.length)} wrong · Jaunty Lark` : 'Jaunty Lark'}</title>
      <Above>{today.replace(' at ', ', ')}</Above>
      <Heading>{headline(wrong.length, recent.data ?? [], now, zone, signals.data.length)}</Heading>
      {signals.data.length === 0 && <FirstDevice />}
      {signals.data.length > 0 && <InWords signals={signals.data} recent={recent.data ?? []} now={now} zone={zone} />}
      <Switched zone={zone} />
      {wrong.length > 0 && <WrongList alarms={wrong} signals={signals.data} zone={zone} now={now} />}
      {well.length > 0 && (
        <>
          <Subheading>
            {wrong.length ? 'Everything else is as it should be' : 'Everything is as it should be'}{' '}
            <Soft>
              · {well.length} {well.length === 1 ? 'signal' : 'signals'}
            </Soft>
          </Subheading>
          <List aria-label="Signals">
            {well.map((s) => (
              <SignalRow key={s.id} signal={s} spark={sparks.get(pathOf(s))} guards={guards} ageText={age(s.at, now)} />
            ))}
          </List>
        </>
      )}
    </>
  )
}

/** What the site does by itself, or by hand, at the moment: in one line, when it does anything. */
function Switched({ zone }: { zone: string }) {
  const list = useOutputs().data
  const busy = (list?.outputs ?? []).filter((o) => o.ordered !== restOf(o))
  if (list?.emergency)
    return (
      <Prose>
        <Shape of="critical" /> All <PlainLink href="/outputs">outputs</PlainLink> are in their safe states:{' '}
        {list.emergency.by} did that at {clock(list.emergency.at, zone)}.
      </Prose>
    )
  if (!busy.length) return null
  return (
    <Prose data-switched>
      Not at rest:{' '}
      {busy.map((o, i) => (
        <span key={o.id}>
          {i > 0 && ', '}
          <PlainLink href={`/outputs/${o.device}/${o.name}`}>
            {titleOf(o)} {stateWords(o, o.ordered)}
          </PlainLink>{' '}
          <Soft>since {clock(o.ordered_at, zone)}</Soft>
        </span>
      ))}
      .
    </Prose>
  )
}

type Over = { cleared_at: string | null }

function headline(wrong: number, recent: Over[], now: number, zone: string, signals: number) {
  if (signals === 0) return 'Nothing is watched yet.'
  if (wrong > 0) return wrong === 1 ? 'One thing is wrong.' : `${count(wrong)} things are wrong.`
  const last = Math.max(0, ...recent.map((a) => (a.cleared_at ? Date.parse(a.cleared_at) : 0)))
  if (!last) return 'All quiet.'
  const day: Intl.DateTimeFormatOptions = now - last > 20 * 3600_000 ? { weekday: 'long' } : {}
  return `All quiet since ${clock(last, zone, { ...day, hour: '2-digit', minute: '2-digit' })}.`
}

const FirstDevice = () => (
  <>
    <Prose>
      Connect a device: you get its key and ready text that sends a first reading. The signal then appears here by
      itself.
    </Prose>
    <p>
      <QuietLink href="/devices/connect">Connect a device</QuietLink>
    </p>
    <Prose>Or on the command line:</Prose>
    <Code>jaunty device add greenhouse-door</Code>
  </>
)
