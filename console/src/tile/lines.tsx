import { useMemo, useState } from 'react'
import styled from 'styled-components'
import { useAlarmsSince } from '../api/alarm'
import type { Placed } from '../api/board'
import type { Doubt } from '../api/client'
import { useGuards } from '../api/guard'
import { useFigures, useLines, useNotes, useRested } from '../api/lines'
import { serviceNow } from '../api/live'
import { type Facts, useFactsOf, useSignalsOf } from '../api/signal'
import { seen, seenStep, seenUnit } from '../api/units'
import { clock, doubtWords, earlier, length, limitsFor, placesOf, shown, stateName, inWords } from '../api/words'
import { drawing, drawingSize } from '../chart/drawing'
import { LinesChart, tonesFor } from '../chart/lines'
import { clockChangeWords } from '../chart/paint'
import type { Rows } from '../chart/save'
import { clockChanges, sortMarks, type Trace, traceSays, withGaps } from '../chart/trace'
import { boundsOf, type Stretch } from '../chart/window'
import { TileBox } from './box'
import { seriesTitle, signalLink, type TileProps, useSight, useTileView, useTitle } from './context'
import { NoteDialog } from './note-here'
import { ChartTools } from './tools'
import { Failure, QuietButton, Soft } from '../ui/basics'
import { useSize } from '../ui/size'

const Whole = styled.div`
  height: 100%;
  display: flex;
  flex-direction: column;
  > :first-child {
    flex: 1;
    min-height: 0;
    position: relative;
  }
  p {
    margin: 2px 0 0;
    font-size: var(--step--1);
    line-height: 1.3;
    color: var(--ink-soft);
  }
`
const Empty = styled.div`
  position: absolute;
  inset: 40px 0 30px;
  display: grid;
  place-content: center;
  text-align: center;
  gap: var(--gap-2);
  pointer-events: none;
  > * {
    pointer-events: auto;
  }
`

/** Lines over time: all readings, means, or lowest to highest. */
export default function LinesTile({ tile }: TileProps) {
  const title = useTitle(tile)
  const signals = useFactsOf((tile.series ?? []).map((s) => s.signal)) ?? []
  const only = signals.length === 1 ? signals[0] : undefined
  const [box, size] = useSize<HTMLDivElement>()
  const [noting, setNoting] = useState(false)
  const plotted = usePlotted(tile, signals, size.width)
  const { sight, bounds, traces, alarms } = plotted
  const limits = useLimitsOf(only)
  const said = words(title, plotted)
  const tools = !sight.still && (
    <ChartTools
      title={title}
      rows={() => rowsOf(traces, bounds, sight.zone)}
      drawing={() => ({ svg: drawing({ title, traces, bounds, zone: sight.zone, limits, alarms }), ...drawingSize })}
      more={[{ name: 'Write a note …', act: () => setNoting(true) }]}
    />
  )
  return (
    <TileBox tile={tile} to={only && signalLink(only)} tools={tools}>
      <Whole>
        <div ref={box}>
          {plotted.error ? (
            <Failure error={plotted.error} />
          ) : (
            size.width > 0 && (
              <LinesChart
                traces={traces}
                bounds={bounds}
                zone={sight.zone}
                limits={limits}
                alarms={alarms}
                notes={plotted.notes}
                bands={only ? bandsOf(only) : []}
                doubts={plotted.doubts}
                remarks={plotted.remarks}
                filled={tile.filled}
                label={said}
                group={sight.group}
                view={plotted.view}
                onView={sight.onView}
                onCursor={sight.onCursor}
              />
            )
          )}
          {plotted.empty && <NothingHere signals={signals} plotted={plotted} />}
        </div>
        <Remarks {...plotted} several={signals.length > 1} zone={sight.zone} />
      </Whole>
      {noting && <NoteDialog signals={signals} zone={sight.zone} onClose={() => setNoting(false)} />}
    </TileBox>
  )
}

/** All that is drawn of a tile: its traces over what is in view, and what lies over them. */
function usePlotted(tile: Placed, signals: Facts[], width: number) {
  const sight = useSight()
  const view = useTileView(tile)
  const rested = useRested(view)
  const series = tile.series ?? []
  const seriesKey = JSON.stringify(series)
  const wide = width > 0
  // eslint-disable-next-line react-hooks/exhaustive-deps -- equal series are one
  const paths = useMemo(() => (wide ? series.map((s) => s.signal) : []), [seriesKey, wide])
  const raw = !tile.figure || tile.figure === 'raw'
  const columns = Math.min(4000, Math.max(300, Math.ceil((width * devicePixelRatio) / 100) * 100))
  const lines = useLines(raw ? paths : [], rested, columns)
  const old = useLines(raw && sight.compare ? paths : [], rested, columns, sight.compare)
  const now = lines.data && !view.fixed && !lines.isPlaceholderData ? Date.parse(lines.data.until) : serviceNow()
  const bounds = boundsOf(view, now)
  const asked = boundsOf(rested, Math.ceil(now / 60_000) * 60_000)
  const figures = useFigures(raw ? [] : paths, inWords(tile.every || 3600), asked, !view.fixed)
  const several = new Set(signals.map((s) => s.device)).size > 1
  const stamp = figures.map((f) => f.dataUpdatedAt).join()

  const traces = useMemo(() => {
    const out: Trace[] = []
    const tones = tonesFor(series.map((s) => s.colour))
    series.forEach((s, i) => {
      const signal = signals.find((v) => `${v.device}/${v.name}` === s.signal)
      if (!signal) return
      const common = {
        key: s.signal,
        title: seriesTitle(s, signal, several),
        unit: signal.kind === 'switch' ? '' : shown(signal.unit),
        code: signal.kind === 'switch' ? '' : seenUnit(signal.unit),
        step: seenStep(signal.step, signal.unit),
        tone: tones[i]!,
        ...(signal.kind === 'switch'
          ? { states: [stateName(signal, 0), stateName(signal, 1)] as [string, string] }
          : {}),
      }
      const line = lines.data?.lines.find((l) => l.signal === s.signal)
      if (raw && line) out.push({ ...common, ...withGaps(line, signal.unit) })
      const before = old.data?.lines.find((l) => l.signal === s.signal)
      if (before) {
        const gone = withGaps(before, signal.unit)
        out.push({
          ...common,
          key: `${s.signal} before`,
          title: `${common.title}, ${earlier(sight.compare)}`,
          faint: true,
          at: gone.at.map((t) => t + sight.compare),
          value: gone.value,
        })
      }
      if (!raw)
        out.push({
          ...common,
          ...figureColumns(figures[i]?.data?.figures ?? [], signal.unit, tile.figure === 'stretch'),
        })
    })
    return out
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the figures are told by their stamp
  }, [seriesKey, lines.data, old.data, stamp, signals, raw, sight.compare, several])

  const marked = useMemo(() => sortMarks((lines.data?.lines ?? []).flatMap((l) => l.marked)), [lines.data])
  const alarms = useAlarmsSince(bounds.from, (a) => series.some((s) => s.signal === a.signal))
  const notes = useNotes(bounds.from).data
  return {
    sight,
    view,
    bounds,
    traces,
    alarms,
    ...marked,
    notes: (notes ?? []).filter((n) => about(n.subject, paths)).map((n) => ({ at: Date.parse(n.at), text: n.text })),
    error: lines.error,
    reduced: (lines.data?.lines ?? []).some((l) => l.reduced),
    empty:
      (raw ? lines.isSuccess && !lines.isPlaceholderData : figures.every((f) => f.isSuccess)) &&
      width > 0 &&
      traces.every((t) => !t.value.some((v, i) => v != null && t.at[i]! >= bounds.from && t.at[i]! <= bounds.until)),
  }
}

const about = (subject: string, paths: string[]) =>
  subject === '' || paths.some((p) => p === subject || p.split('/')[0] === subject)

type Figure = { at: string; mean: number | null; low: number; high: number; count: number }

function figureColumns(
  figures: Figure[],
  unit: string,
  stretch: boolean,
): Pick<Trace, 'at' | 'value' | 'low' | 'high'> {
  const pick = (of: (f: Figure) => number | null) =>
    figures.map((f) => {
      const v = f.count > 0 ? of(f) : null
      return v == null ? null : seen(v, unit)
    })
  const columns = { at: figures.map((f) => Date.parse(f.at)), value: pick((f) => f.mean) }
  return stretch ? { ...columns, low: pick((f) => f.low), high: pick((f) => f.high) } : columns
}

function useLimitsOf(s: Facts | undefined) {
  const guards = useGuards().data
  return useMemo(
    () => (s ? limitsFor(guards, `${s.device}/${s.name}`).map((l) => ({ ...l, limit: seen(l.limit, s.unit) })) : []),
    [s?.device, s?.name, s?.unit, guards], // eslint-disable-line react-hooks/exhaustive-deps
  )
}

const bandsOf = (s: Facts) =>
  s.kind === 'switch'
    ? []
    : placesOf(s.bands).map((b) => ({
        ...b,
        from: b.from == null ? undefined : seen(b.from, s.unit),
        to: b.to == null ? undefined : seen(b.to, s.unit),
      }))

/** What the chart shows, in words. */
function words(title: string, { traces, bounds, alarms, notes, view, sight }: ReturnType<typeof usePlotted>) {
  const parts = traces
    .filter((t) => !t.faint)
    .map((t) => {
      const inView = (column: (number | null)[]) =>
        column.filter((v, i) => v != null && t.at[i]! >= bounds.from && t.at[i]! <= bounds.until) as number[]
      const values = inView(t.value)
      if (!values.length) return `${t.title}: no readings`
      const round = (v: number) => traceSays(t, v)
      const ends = `lowest ${round((t.low ? inView(t.low) : values).reduce((a, b) => Math.min(a, b)))}, highest ${round((t.high ? inView(t.high) : values).reduce((a, b) => Math.max(a, b)))}`
      return `${t.title}: ${ends}${view.fixed ? '' : `, now ${round(values.at(-1)!)}`}`
    })
  if (alarms.length) parts.push(`${alarms.length} ${alarms.length === 1 ? 'alarm' : 'alarms'}`)
  for (const n of notes.filter((n) => n.at >= bounds.from && n.at <= bounds.until).slice(0, 5))
    parts.push(`note: ${n.text}`)
  for (const c of clockChanges(bounds.from, bounds.until, sight.zone))
    parts.push(`the ${clockChangeWords(c.minutes)} at ${clock(c.at, sight.zone)}`)
  return `${title}, ${length(bounds.until - bounds.from)}. ${parts.join('; ')}`
}

/** What is in view as a table: a row for each instant at which one of the lines has a point. */
function rowsOf(traces: Trace[], bounds: Stretch, zone: string): Rows {
  const at = [
    ...new Set(
      traces.flatMap((t) => t.at.filter((v, i) => v >= bounds.from && v <= bounds.until && t.value[i] != null)),
    ),
  ].sort((a, b) => a - b)
  const seconds: Intl.DateTimeFormatOptions = {
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    hour: '2-digit',
    minute: '2-digit',
    second: '2-digit',
  }
  const format = new Intl.DateTimeFormat('sv-SE', { timeZone: zone, ...seconds })
  const columns = traces.map((t) => new Map(t.at.map((v, i) => [v, t.value[i] ?? null])))
  return {
    heads: [`time (${zone})`, ...traces.map((t) => (t.unit ? `${t.title} (${t.unit})` : t.title))],
    rows: at.map((v) => [format.format(v), ...columns.map((c) => c.get(v) ?? null)]),
  }
}

function NothingHere({ signals, plotted }: { signals: Facts[]; plotted: ReturnType<typeof usePlotted> }) {
  const { sight, view } = plotted
  const now = useSignalsOf(signals.map((s) => `${s.device}/${s.name}`)) ?? []
  const newest = Math.max(0, ...now.map((s) => (s.at ? Date.parse(s.at) : 0)))
  const span = plotted.bounds.until - plotted.bounds.from
  return (
    <Empty>
      <span>No readings in this stretch.</span>
      {newest > 0 && (
        <QuietButton
          onPress={() =>
            sight.onView({
              span: view.span,
              fixed: { from: newest - span / 2, until: Math.min(serviceNow(), newest + span / 2) },
            })
          }
        >
          Go to the newest,{' '}
          {clock(newest, sight.zone, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })}
        </QuietButton>
      )}
    </Empty>
  )
}

/** What the marks of the chart mean, when there are any. */
type RemarksProps = { doubts: Doubt[]; remarks: Doubt[]; reduced: boolean; several: boolean; zone: string }

function Remarks({ doubts, remarks, reduced, several, zone }: RemarksProps) {
  const kinds = several ? [...new Set(doubts.flatMap((d) => d.quality))].join(', ') : doubtWords(doubts, zone)
  const parts = [
    kinds ? `hatched: ${kinds}; guards, figures and totals pass over such readings` : '',
    remarks.some((d) => d.quality.includes('late') || d.quality.includes('clock'))
      ? 'dotted at the foot: came late'
      : '',
    remarks.some((d) => d.quality.includes('corrected')) ? 'dashed at the foot: corrected' : '',
  ].filter(Boolean)
  if (!parts.length) return null
  return (
    <p data-remarks>
      <Soft>
        {parts.join(' · ')}
        {reduced && ' · every pixel keeps its lowest and highest'}
      </Soft>
    </p>
  )
}
