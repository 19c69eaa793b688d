import { keyOf } from '../api/changes'
import { useQueries } from '@tanstack/react-query'
import { useRef } from 'react'
import styled from 'styled-components'
import { useAlarmsSince } from '../api/alarm'
import { api, pathOf, type Signal, take } from '../api/client'
import { useRested } from '../api/lines'
import { serviceNow, useNow } from '../api/live'
import { useSignalsOf } from '../api/signal'
import { bandOf, clock, length, reads, readsIn, stateName } from '../api/words'
import { tick } from '../chart/paint'
import { standalone } from '../chart/save'
import type { Stretch } from '../chart/window'
import { TileBox } from './box'
import { seriesTitle, signalLink, type TileProps, useSight, useTileView, useTitle } from './context'
import { ChartTools } from './tools'
import { PlainLink, Small } from '../ui/basics'
import { useSize } from '../ui/size'

const Row = styled.div`
  margin-bottom: 10px;
`
const Top = styled.div`
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 0 var(--gap-3);
  b {
    font-weight: 620;
  }
`
const Axis = styled.div`
  display: flex;
  justify-content: space-between;
  font-size: var(--step--1);
  color: var(--ink-soft);
`

/** One stretch in one state. */
type Piece = { from: number; until: number; state: string }
type Course = {
  title: string
  now: string
  pieces: Piece[]
  sums: { state: string; ms: number; times: number }[]
  tones: Map<string, string>
  to: string
}

const hasStates = (s: Signal) => s.kind !== 'number' || s.bands.length > 0

/** States over time, with how long each lasted: off and on, bands; of a plain number, its alarms. */
export default function StatesTile({ tile }: TileProps) {
  const sight = useSight()
  const view = useTileView(tile)
  const title = useTitle(tile)
  const minute = Math.ceil(useNow() / 60_000) * 60_000
  const rested = useRested(view)
  const bounds = rested.fixed ?? { from: minute - rested.span, until: minute }
  const courses = useCourses(tile.series ?? [], bounds, !view.fixed)
  const body = useRef<HTMLDivElement>(null)
  const moment: Intl.DateTimeFormatOptions = {
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
    second: '2-digit',
  }
  const rows = () => ({
    heads: ['signal', 'state', `from (${sight.zone})`, 'lasted'],
    rows: courses.flatMap((c) =>
      c.pieces.map((p) => [c.title, p.state, clock(p.from, sight.zone, moment), length(p.until - p.from)]),
    ),
  })
  const tools = !sight.still && (
    <ChartTools
      title={title}
      rows={rows}
      drawing={() => {
        const svg = body.current?.querySelector('svg')
        return svg ? standalone(svg, title) : undefined
      }}
    />
  )
  return (
    <TileBox tile={tile} tools={tools} scrolls>
      <div ref={body}>
        {courses.map((c) => (
          <OneCourse key={c.to} course={c} bounds={bounds} />
        ))}
        <Axis aria-hidden="true">
          {[0, 1 / 3, 2 / 3, 1].map((part) => (
            <span key={part}>{tick(bounds.from + part * (bounds.until - bounds.from), sight.zone)}</span>
          ))}
        </Axis>
      </div>
    </TileBox>
  )
}

function useCourses(series: { signal: string; title?: string }[], bounds: Stretch, live: boolean): Course[] {
  const signals = useSignalsOf(series.map((s) => s.signal)) ?? []
  const alarms = useAlarmsSince(bounds.from, (a) => signals.some((s) => pathOf(s) === a.signal && !hasStates(s)))
  const answers = useQueries({
    queries: signals.map((s) => ({
      queryKey: keyOf(
        'states',
        pathOf(s),
        live ? bounds.until - bounds.from : bounds,
        live ? Math.floor(bounds.until / 60_000) : 0,
        s.value,
      ),
      queryFn: () =>
        take(
          api.GET('/api/v1/signals/{device}/{signal}/states', {
            params: {
              path: { device: s.device, signal: s.name },
              query: {
                since: new Date(bounds.from).toISOString(),
                until: new Date(Math.min(bounds.until, serviceNow())).toISOString(),
              },
            },
          }),
        ),
      enabled: hasStates(s),
      placeholderData: (before: unknown) => before as never,
      gcTime: 30_000,
      staleTime: 30_000,
    })),
  })
  return signals.map((s, i) => {
    const own = series.find((v) => v.signal === pathOf(s))!
    const common = { title: seriesTitle(own, s, true), to: signalLink(s) }
    if (hasStates(s)) {
      const told = answers[i]?.data
      const pieces = (told?.stretches ?? []).map((p) => ({
        from: Date.parse(p.from),
        until: Date.parse(p.until),
        state: stateWord(s, p.state),
      }))
      const sums = (told?.states ?? []).map((v) => ({
        ms: 1000 * v.lasted,
        times: v.times,
        state: stateWord(s, v.state),
      }))
      return { ...common, now: nowOf(s), pieces, sums, tones: tonesOf(s) }
    }
    const own_ = alarms.filter((a) => a.signal === pathOf(s)).reverse()
    const pieces = own_.map((a) => ({
      from: Math.max(bounds.from, Date.parse(a.raised_at)),
      until: a.cleared_at ? Date.parse(a.cleared_at) : Math.min(bounds.until, serviceNow()),
      state: a.severity as string,
    }))
    const sums = ['critical', 'warning', 'advisory'].flatMap((state) => {
      const of = pieces.filter((p) => p.state === state)
      return of.length ? [{ state, times: of.length, ms: of.reduce((sum, p) => sum + p.until - p.from, 0) }] : []
    })
    const tones = new Map(['critical', 'warning', 'advisory'].map((v) => [v, `var(--${v})`]))
    return { ...common, now: `${reads(s)} ${readsIn(s)}`.trim(), pieces, sums, tones }
  })
}

const stateWord = (s: Signal, state: string) =>
  state || (s.kind === 'number' ? 'in no band' : s.kind === 'switch' ? 'off' : 'no text')

function nowOf(s: Signal) {
  if (s.value == null) return '–'
  if (s.kind === 'number') return bandOf(s, s.value)?.name ?? 'in no band'
  return s.kind === 'switch' ? stateName(s, s.value) : reads(s)
}

/** How states look: bands by their colours; off is paper, on is ink. */
function tonesOf(s: Signal) {
  const tones = new Map<string, string>()
  for (const b of s.bands) tones.set(b.name, b.colour ? `var(--band-${b.colour})` : 'var(--ink-soft)')
  if (s.kind === 'switch') {
    if (!tones.get(stateName(s, 1))) tones.set(stateName(s, 1), 'var(--ink)')
    tones.set(stateName(s, 0), 'var(--sunk)')
  }
  return tones
}

const height = 22

function OneCourse({ course: c, bounds }: { course: Course; bounds: Stretch }) {
  const [box, size] = useSize<HTMLDivElement>()
  const x = (at: number) => ((Math.max(bounds.from, at) - bounds.from) / (bounds.until - bounds.from)) * size.width
  const summed = c.sums
    .slice(0, 4)
    .map((s) => `${s.state} ${length(s.ms)}, ${s.times === 1 ? 'once' : `${s.times} times`}`)
    .join(' · ')
  return (
    <Row data-course={c.title}>
      <Top>
        <PlainLink href={c.to}>{c.title}</PlainLink>
        <b>{c.now}</b>
      </Top>
      <div ref={box} style={{ height }}>
        <svg width={size.width} height={height} role="img" aria-label={`${c.title}: ${summed || 'nothing'}`}>
          <rect width={size.width} height={height} fill="none" stroke="var(--line)" />
          {c.pieces.map((p, i) => {
            const [from, until] = [x(p.from), x(p.until)]
            return (
              <g key={i}>
                <rect
                  x={from}
                  y="1"
                  width={Math.max(1, until - from)}
                  height={height - 2}
                  fill={c.tones.get(p.state) ?? 'var(--silent)'}
                  opacity={0.85}
                >
                  <title>{`${p.state}, ${length(p.until - p.from)}`}</title>
                </rect>
              </g>
            )
          })}
        </svg>
      </div>
      <Small>{summed || 'nothing in this stretch'}</Small>
    </Row>
  )
}
