import { Details } from '../../ui/disclosure'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate, useParams, useSearchParams } from 'react-router'
import styled from 'styled-components'
import { keyOf } from '../../api/changes'
import { api, type Guard, pathOf, type Signal, take, timed } from '../../api/client'
import { useDraft } from '../../api/drafts'
import {
  type Draft,
  draftOf,
  guardOf,
  isComplete,
  limitsIn,
  lookAtGuard,
  newRung,
  putGuard,
  type Replay,
  useGuards,
  useReplay,
} from '../../api/guard'
import { useSignals } from '../../api/signal'
import { useSession, useSite } from '../../api/site'
import { seen } from '../../api/units'
import { clock, figure, fullTitle, length, lengthOf, many, shown, valueParts } from '../../api/words'
import { Limits } from '../../chart/limits'
import { LineChart, type Scale } from '../../chart/line'
import { FromData } from './data'
import { GuardFields } from './fields'
import { GuardLife } from './life'
import {
  Above,
  Columns,
  Failure,
  Heading,
  Num,
  PlainLink,
  Prose,
  QuietButton,
  QuietLink,
  Scroll,
  Soft,
  Table,
  Well,
} from '../../ui/basics'
import { Changing, type SaveUnder } from '../../ui/changing'
import { Choice } from '../../ui/choice'
import { Foot, Form, Send, useSave } from '../../ui/form'
import { NoPage } from '../../ui/no-page'
import { Shape } from '../../ui/severity'

/** The room of a chart that is not there yet. */
const Waiting = styled.div`
  height: 300px;
`
/** The button below it does not move while it counts. */
const Counted = styled.section`
  display: flow-root;
  min-height: 6.5em;
`

const Two = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) 300px;
  gap: var(--gap-5);
  align-items: start;
  @media (max-width: 1000px) {
    grid-template-columns: minmax(0, 1fr);
  }
`
const Plot = styled.div`
  position: relative;
`
const day = 86_400_000
const spans = { day: day, week: 7 * day, month: 30 * day, quarter: 91 * day }
const spanNames = { day: 'Day', week: 'Week', month: '30 days', quarter: '91 days' }
type Span = keyof typeof spans

/** A guard of a signal, to be changed, or to be made: limits on the chart, and what they would have raised. */
export function GuardPage() {
  const { guard: name = '' } = useParams()
  const of = useSearchParams()[0].get('of') ?? ''
  const guards = useGuards()
  const signals = useSignals()
  const failed = guards.error ?? signals.error
  if (failed) return <NoPage error={failed} />
  if (!guards.data || !signals.data) return <Soft>Looking …</Soft>
  const guard = guards.data.find((g) => g.name === name)
  const path = guard?.signal ?? of
  const signal = signals.data.find((s) => pathOf(s) === path)
  if (name && !guard) return <NoPage error={new Error(`There is no guard ${name}.`)} />
  if (!signal) return <NoPage error={new Error(`There is no signal ${path}.`)} />
  const key = `${path} ${guard?.id ?? ''}`
  if (!guard) return <Editor key={key} signal={signal} />
  return (
    <>
      <Changing key={key} of={`guard ${name}`} look={() => lookAtGuard(name)} kept={guard}>
        {(begun, save) => <Editor signal={signal} guard={begun} saveUnder={save} />}
      </Changing>
      <GuardLife guard={guard} />
    </>
  )
}

/** A draft to begin with: a limit somewhat over what the signal reads. */
function blank(signal: Signal): Draft {
  const reads = seen(signal.value ?? 0, signal.unit)
  const limit = Number((reads + Math.max(1, Math.abs(reads) * 0.2)).toPrecision(2))
  return {
    name: '',
    rungs: [newRung(signal, limit)],
    latch: false,
    armed: '',
    suppressed: '',
    tell: '',
    leastGap: '0s',
    templates: [],
    advice: '',
  }
}

type EditorProps = { signal: Signal; guard?: Guard; saveUnder?: SaveUnder }

function Editor({ signal, guard, saveUnder }: EditorProps) {
  const [draft, setDraft, unsaved] = useDraft(`guard ${guard?.name ?? `of ${pathOf(signal)}`}`, () =>
    guard ? draftOf(guard, signal) : blank(signal),
  )
  const [last, setLast] = useState<Span>('month')
  const [until, setUntil] = useState(() => Date.now())
  const since = until - spans[last]
  const session = useSession().data
  const keeper = session?.role !== 'viewer'
  const email = session?.email
  const go = useNavigate()
  const order = isComplete(draft) ? guardOf(draft, signal) : undefined
  const replay = useReplay(order, since)
  const save = useSave(
    async () => {
      if (!order) throw new Error('A limit is missing.')
      return saveUnder
        ? saveUnder((header) => putGuard(guard!.name!, header, order))
        : take(api.POST('/api/v1/guards', { body: order }))
    },
    unsaved,
    (g) => void go(`/guards/${g.name ?? ''}`, { replace: true }),
  )
  const rung = (i: number, change: Partial<Draft['rungs'][number]>) =>
    setDraft((d) => ({ ...d, rungs: d.rungs.map((r, j) => (j === i ? { ...r, ...change } : r)) }))
  return (
    <>
      <title>{`${guard?.name ?? 'New guard'} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href={`/devices/of/${signal.device}`}>{signal.device_title}</PlainLink> ·{' '}
        <PlainLink href={`/signals/${pathOf(signal)}`}>{signal.title}</PlainLink>
      </Above>
      <Heading>{guard?.name ?? `New guard of ${fullTitle(signal)}`}</Heading>
      <Form may={keeper} unsaved={unsaved} save={save} width="full">
        <Two>
          <div>
            {(signal.kind === 'number' || signal.kind === 'switch') && (
              <Well>
                <Choice
                  label="Stretch"
                  options={spanNames}
                  value={last}
                  onChange={(s) => {
                    setLast(s)
                    setUntil(Date.now())
                  }}
                />
                <LimitChart
                  signal={signal}
                  draft={draft}
                  since={since}
                  until={until}
                  replay={replay}
                  onLimit={keeper ? rung : undefined}
                />
              </Well>
            )}
            <WouldHave signal={signal} replay={replay} days={Math.round(spans[last] / day)} />
            <Foot>
              <Send send={guard ? 'Save' : 'Add guard'} sent="Saved. It looks from now on.">
                {!draft.tell && email && (
                  <QuietButton onPress={() => setDraft({ ...draft, tell: email })}>Tell me</QuietButton>
                )}
              </Send>
            </Foot>
            <FromData
              signal={signal}
              take={keeper ? (when, deadband) => rung(0, { ...when, deadband }) : undefined}
              startOpen={!guard && signal.kind === 'number'}
            />
            {keeper && (
              <Prose>
                <Soft>
                  A rate, a count, what is unlike its usual? Derive a signal, and guard that. Not sure? Record a trial:
                  show the sensor what is normal and what is not, and take the limit that parts them.
                </Soft>{' '}
                <QuietLink href={`/trials?of=${pathOf(signal)}`}>Record a trial</QuietLink>{' '}
                <QuietLink href={`/derive?of=${pathOf(signal)}`}>Derive a signal</QuietLink>
              </Prose>
            )}
          </div>
          <div>
            <GuardFields draft={draft} signal={signal} fixedName={guard?.name} onChange={setDraft} onRung={rung} />
          </div>
        </Two>
      </Form>
    </>
  )
}

type ChartProps = {
  signal: Signal
  draft: Draft
  since: number
  until: number
  replay: Replay
  onLimit?: (i: number, change: { a?: number; b?: number }) => void // none: they are only looked at
}

/** The line with the limits over it; the scale stands still while one is moved. */
function LimitChart({ signal, draft, since, until, replay, onLimit }: ChartProps) {
  const zone = useSite().data?.zone ?? 'UTC'
  const [scale, setScale] = useState<Scale>()
  const [settled, setSettled] = useState(draft.rungs)
  const line = useQuery({
    queryKey: keyOf('line', pathOf(signal), 'guard', since),
    queryFn: async () =>
      timed(
        await take(
          api.GET('/api/v1/signals/{device}/{signal}/line', {
            params: {
              path: { device: signal.device, signal: signal.name },
              query: { since: new Date(since).toISOString(), columns: 1000 },
            },
          }),
        ),
      ),
    staleTime: Infinity,
  })
  if (line.error) return <Failure error={line.error} />
  if (!line.data) return <Waiting />
  const drawn = { ...line.data, value: line.data.value.map((v) => seen(v, signal.unit)) }
  const span = spanOf(drawn.value, settled)
  const unit = shown(signal.unit)
  return (
    <Plot>
      <LineChart
        line={drawn}
        from={since}
        until={until}
        unit={unit}
        zone={zone}
        limits={
          onLimit ? [] : draft.rungs.flatMap((r) => limitsIn(r).map((limit) => ({ limit, severity: r.severity })))
        }
        alarms={replay.alarms}
        span={span}
        states={signal.kind === 'switch' ? ['off', 'on'] : undefined}
        onScale={(s) => setScale((old) => (old && same(old, s) ? old : s))}
        label={`${signal.title} and its limits: ${draft.rungs.map((r) => `${r.kind} ${limitsIn(r).map(figure).join(' and ')}`).join(', ')}`}
      />
      {scale && onLimit && signal.kind === 'number' && (
        <Limits
          rungs={draft.rungs}
          scale={scale}
          span={until - since}
          unit={unit}
          step={Number(((span[1] - span[0]) / 200).toPrecision(1))}
          onMove={(i, which, value) => onLimit(i, { [which]: value })}
          onDone={() => setSettled(draft.rungs)}
        />
      )}
    </Plot>
  )
}

const same = (a: Scale, b: Scale) => (Object.keys(a) as (keyof Scale)[]).every((k) => Math.abs(a[k] - b[k]) < 1e-9)

/** What the chart shows: the line, and the limits that are not many times as far off. */
function spanOf(values: number[], rungs: Draft['rungs']): [number, number] {
  let [low, high] = values.reduce(([l, h], v) => [Math.min(l, v), Math.max(h, v)], [Infinity, -Infinity])
  if (low > high) [low, high] = [0, 1]
  const reach = Math.max(high - low, Math.abs(high) * 0.05, 1e-9)
  for (const limit of rungs.flatMap(limitsIn)) {
    low = Math.min(low, Math.max(limit, low - 3 * reach))
    high = Math.max(high, Math.min(limit, high + 3 * reach))
  }
  const margin = (high - low) * 0.12
  return [low - margin, high + margin]
}

/** In words, and one by one, what the guard would have raised. */
function WouldHave({ signal, replay, days }: { signal: Signal; replay: Replay; days: number }) {
  const zone = useSite().data?.zone ?? 'UTC'
  const dayText: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }
  if (replay.error) return <Failure error={replay.error} />
  const s = replay.summary
  const m = replay.marked
  return (
    <Counted aria-live="polite" data-replay={replay.running ? 'running' : replay.summary ? 'done' : 'none'}>
      {replay.running && (
        <Prose>
          <Soft>
            Looking back … {replay.at && clock(replay.at, zone, dayText)}, {many(replay.alarms.length)} so far
          </Soft>
        </Prose>
      )}
      {s && !replay.running && (
        <Prose>
          <b>
            With this it would have spoken {times(s.alarms)} in {days} {days === 1 ? 'day' : 'days'}
          </b>
          {s.alarms === 1 && `, for ${length(lengthOf(s.longest))}`}
          {s.alarms > 1 &&
            `, ${s.per_week.toFixed(1)} a week, for ${length(lengthOf(s.median))} as a rule and ${length(lengthOf(s.longest))} at most`}
          .{m && markedWords(m)}
        </Prose>
      )}
      {replay.alarms.length > 0 && (
        <Details
          title={
            <>
              One by one <Soft>· the newest {Math.min(30, replay.alarms.length)}</Soft>
            </>
          }
        >
          <Scroll>
            <Table>
              <Columns names={['Raised', 'Lasted', 'Severity', 'Peak']} />
              <tbody>
                {replay.alarms
                  .slice(-30)
                  .reverse()
                  .map((o) => (
                    <tr key={o.raised_at + o.level}>
                      <td>{clock(o.raised_at, zone, dayText)}</td>
                      <td>{o.cleared_at ? length(Date.parse(o.cleared_at) - Date.parse(o.raised_at)) : 'still'}</td>
                      <td>
                        <Shape of={o.severity} /> {o.severity} {o.level && <Soft>{o.level}</Soft>}
                      </td>
                      <Num>{valueParts(o.extreme, signal.unit, signal.step)[0]}</Num>
                    </tr>
                  ))}
              </tbody>
            </Table>
          </Scroll>
        </Details>
      )}
    </Counted>
  )
}

const times = (n: number) => (n === 0 ? 'not once' : n === 1 ? 'once' : n === 2 ? 'twice' : `${many(n)} times`)

function markedWords(m: NonNullable<Replay['marked']>) {
  const parts: string[] = []
  if (m.real_of) parts.push(`${m.real} of ${m.real_of} that people marked real`)
  if (m.useful_of) parts.push(`${m.useful} of ${m.useful_of} useful ones`)
  if (m.false_of) parts.push(`${m.false} of ${m.false_of} false ones`)
  return parts.length > 0 ? ` It meets ${parts.join(', ')}.` : ''
}
