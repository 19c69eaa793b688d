import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { type Alarm, api, type Doubt, type Line, type Signal, pathOf, take } from '../api/client'
import { useGuards } from '../api/queries'
import { seen } from '../api/units'
import { clock, figure, length, limitsFor, reads, shown, stateName } from '../api/words'
import { LineChart } from '../chart/line'
import { Failure, Soft, Table } from '../ui/basics'

/** A stretch of time: the last `span` up to now, or a fixed one that is over. */
export type Stretch = { span: number } | { from: number; until: number }

type Props = { signal: Signal; stretch: Stretch; now: number; zone: string; alarms: Alarm[] }

const tailEvery = 1000
const iso = (at: number) => new Date(at).toISOString()

/** Fetches the line of a stretch once, and then, if it is not over, only what is newer than it. */
function useLine(signal: Signal, stretch: Stretch) {
  const client = useQueryClient()
  const path = { device: signal.device, signal: signal.name }
  const key = ['line', pathOf(signal), stretch]
  const live = 'span' in stretch
  const query = useQuery({
    queryKey: key,
    queryFn: () =>
      take(
        api.GET('/api/v1/signals/{device}/{signal}/line', {
          params: {
            path,
            query: live
              ? { since: iso(Date.now() - stretch.span), columns: 1200 }
              : { since: iso(stretch.from), until: iso(stretch.until), columns: 1200 },
          },
        }),
      ),
    staleTime: 10 * 60_000,
    gcTime: 0,
  })
  const busy = useRef(false)
  const last = query.data?.at.at(-1)
  const newest = signal.at ? Date.parse(signal.at) : 0
  useEffect(() => {
    if (!live || last === undefined || newest <= last || busy.current) return
    busy.current = true
    const since = iso(last + 1)
    take(api.GET('/api/v1/signals/{device}/{signal}/readings', { params: { path, query: { since } } }))
      .then(({ readings }) =>
        client.setQueryData<Line>(key, (old) => {
          if (!old) return old
          const fresh = readings.filter((r) => Date.parse(r.at) > (old.at.at(-1) ?? 0))
          return {
            ...old,
            of: old.of + fresh.length,
            at: [...old.at, ...fresh.map((r) => Date.parse(r.at))],
            value: [...old.value, ...fresh.map((r) => r.value)],
          }
        }),
      )
      .catch(() => undefined) // the live stream tells that the service is away
      .finally(() => setTimeout(() => (busy.current = false), tailEvery))
  })
  return query
}

/** A signal's line over a stretch, with its limits, its alarms, and its values as a table. */
export function SignalChart({ signal, stretch, now, zone, alarms }: Props) {
  const line = useLine(signal, stretch)
  const guards = useGuards().data
  const doubts = useDoubts(signal, stretch)
  if (line.error) return <Failure error={line.error} />
  if (!line.data)
    return (
      <div style={{ height: 300 }}>
        <Soft>Drawing …</Soft>
      </div>
    )
  const unit = shown(signal.unit)
  const eye = (v: number) => seen(v, signal.unit)
  const drawn = { ...line.data, value: line.data.value.map(eye) }
  const value = drawn.value
  const label =
    value.length === 0
      ? 'No readings in this stretch'
      : `${signal.title}: lowest ${figure(low(value))}, highest ${figure(-low(value.map((v) => -v)))}, now ${reads(signal)} ${unit}`
  return (
    <>
      <LineChart
        line={drawn}
        {...('span' in stretch ? { from: now - stretch.span, until: now + stretch.span / 200 } : stretch)}
        unit={unit}
        zone={zone}
        limits={limitsFor(guards, pathOf(signal)).map((l) => ({ ...l, limit: eye(l.limit) }))}
        alarms={alarms}
        bands={(signal.kind === 'switch' ? [] : signal.bands).map((b) => ({
          ...b,
          from: b.from == null ? undefined : eye(b.from),
          to: b.to == null ? undefined : eye(b.to),
        }))}
        doubts={doubts ?? []}
        states={signal.kind === 'switch' ? [stateName(signal, 0), stateName(signal, 1)] : undefined}
        label={label + (doubts?.length ? `; ${doubtWords(doubts, zone)}` : '')}
      />
      {doubts && doubts.length > 0 && (
        <p data-doubts>
          <Soft>Hatched: {doubtWords(doubts, zone)}. Guards, figures and totals pass over such readings.</Soft>
        </p>
      )}
      <ValuesTable line={drawn} unit={unit} zone={zone} />
    </>
  )
}

const doubtEvery = 30_000

/** The stretches whose readings are of no use. */
function useDoubts(signal: Signal, stretch: Stretch) {
  const live = 'span' in stretch
  return useQuery({
    queryKey: ['doubts', pathOf(signal), stretch],
    queryFn: () =>
      take(
        api.GET('/api/v1/signals/{device}/{signal}/doubts', {
          params: {
            path: { device: signal.device, signal: signal.name },
            query: live
              ? { since: iso(Date.now() - stretch.span), columns: 1200 }
              : { since: iso(stretch.from), until: iso(stretch.until), columns: 1200 },
          },
        }),
      ),
    refetchInterval: live ? doubtEvery : false,
  }).data
}

const told = 3

/** When readings were of no use, and why, the newest few stretches. */
function doubtWords(doubts: Doubt[], zone: string) {
  const some = doubts
    .slice(-told)
    .reverse()
    .map((d) => {
      const day: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }
      const lasted = length(Date.parse(d.until) - Date.parse(d.from))
      return `${d.quality.join(' and ')} for ${lasted} from ${clock(d.from, zone, day)}`
    })
  const more = doubts.length - some.length
  return some.join('; ') + (more > 0 ? `; and ${more} more` : '')
}

const low = (values: number[]) => values.reduce((a, b) => Math.min(a, b), Infinity)
const tableRows = 60

/** The newest values of the chart as a table. */
function ValuesTable({ line, unit, zone }: { line: Line; unit: string; zone: string }) {
  const rows = line.at
    .map((at, i) => [at, line.value[i]!] as const)
    .slice(-tableRows)
    .reverse()
  return (
    <details>
      <summary>
        Values as a table <Soft>· the newest {rows.length}</Soft>
      </summary>
      <Table>
        <thead>
          <tr>
            <th scope="col">Measured</th>
            <th scope="col">Value {unit && `(${unit})`}</th>
          </tr>
        </thead>
        <tbody>
          {rows.map(([at, value]) => (
            <tr key={at}>
              <td>
                {clock(at, zone, {
                  day: 'numeric',
                  month: 'short',
                  hour: '2-digit',
                  minute: '2-digit',
                  second: '2-digit',
                })}
              </td>
              <td>{figure(value)}</td>
            </tr>
          ))}
        </tbody>
      </Table>
    </details>
  )
}
