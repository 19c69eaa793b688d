import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { type Alarm, api, type Line, type Signal, pathOf, take } from '../api/client'
import { useGuards } from '../api/queries'
import { clock, figure, limitsFor, reads, shown } from '../api/words'
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
  if (line.error) return <Failure error={line.error} />
  if (!line.data)
    return (
      <div style={{ height: 300 }}>
        <Soft>Drawing …</Soft>
      </div>
    )
  const unit = shown(signal.unit)
  const value = line.data.value
  const label =
    value.length === 0
      ? 'No readings in this stretch'
      : `${signal.title}: lowest ${figure(low(value))}, highest ${figure(-low(value.map((v) => -v)))}, now ${reads(signal)} ${unit}`
  return (
    <>
      <LineChart
        line={line.data}
        {...('span' in stretch ? { from: now - stretch.span, until: now + stretch.span / 200 } : stretch)}
        unit={unit}
        zone={zone}
        limits={limitsFor(guards, pathOf(signal))}
        alarms={alarms}
        label={label}
      />
      <ValuesTable line={line.data} unit={unit} zone={zone} />
    </>
  )
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
