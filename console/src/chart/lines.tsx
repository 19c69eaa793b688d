import { Unseen } from '../ui/frame'
import { useEffect, useRef } from 'react'
import uPlot from 'uplot'
import 'uplot/dist/uPlot.min.css'
import styled from 'styled-components'
import type { Band, Doubt } from '../api/client'
import { clock, figure } from '../api/words'
import {
  colour,
  drawAlarms,
  drawBands,
  drawClockChanges,
  drawDoubts,
  drawLimits,
  drawNotes,
  drawRemarks,
  type Limit,
  type NoteMark,
  type Span,
  tick,
} from './paint'
import { columnsOf, type Trace, traceSays, valueAt } from './trace'
import { touches } from './touch'
import { framed, shifted, type Stretch, type View, zoomed } from './window'

type Props = {
  traces: Trace[]
  bounds: Stretch
  zone: string
  limits?: Limit[]
  alarms?: Span[]
  notes?: NoteMark[]
  bands?: Band[]
  doubts?: Doubt[]
  remarks?: Doubt[]
  filled?: boolean
  label: string // says in words what the chart shows
  group?: string // charts of one group share their cursor
  view: View
  onView: (view: View) => void
  onCursor?: (at: number | undefined) => void
}

const Box = styled.div`
  position: relative;
  height: 100%;
  min-height: 120px;
  overflow: hidden;
  touch-action: pan-y;
  .u-select {
    background: var(--accent);
    opacity: 0.14;
  }
`
const Keys = styled.ul`
  list-style: none;
  display: flex;
  flex-wrap: wrap;
  gap: 2px var(--gap-4);
  margin: 0 0 4px;
  padding: 0;
  font-size: var(--step--1);
  line-height: 20px;
  svg {
    vertical-align: -1px;
    margin-right: 6px;
  }
  b {
    font-weight: 620;
  }
`
const Column = styled.div`
  display: flex;
  flex-direction: column;
  height: 100%;
  > :last-child {
    flex: 1;
    min-height: 0;
  }
`

/** Lines over time: with gaps, limits, alarms and notes; the cursor reads all of them. Drag to zoom, shift-drag or the
 *  arrow keys to move, plus and minus to zoom, Escape to come back to now. */
export function LinesChart(props: Props) {
  const box = useRef<HTMLDivElement>(null)
  const keys = useRef<HTMLUListElement>(null)
  const plot = useRef<uPlot>(undefined)
  const shown = useRef(props)
  const shape = JSON.stringify([
    props.zone,
    props.group,
    props.filled,
    props.traces.map((t) => [t.key, t.unit, t.tone, !!t.low, !!t.states, !!t.stepped, !!t.faint]),
  ])

  useEffect(() => {
    shown.current = props
    if (plot.current) update(plot.current, props, keys.current)
  }, [props])

  useEffect(() => {
    const element = box.current
    if (!element) return
    const size = () => ({ width: Math.max(60, element.clientWidth), height: Math.max(60, element.clientHeight) })
    const draw = () => {
      plot.current?.destroy()
      plot.current = new uPlot(options(shown, size(), keys), columnsOf(shown.current.traces), element)
      update(plot.current, shown.current, keys.current)
    }
    draw()
    const resized = new ResizeObserver(() => plot.current?.setSize(size()))
    resized.observe(element)
    const theme = matchMedia('(prefers-color-scheme: dark)')
    const stop = touches(element, shown, plot)
    for (const event of ['lark-paper', 'lark-screen']) addEventListener(event, draw)
    theme.addEventListener('change', draw)
    return () => {
      stop()
      for (const event of ['lark-paper', 'lark-screen']) removeEventListener(event, draw)
      theme.removeEventListener('change', draw)
      resized.disconnect()
      plot.current?.destroy()
      plot.current = undefined
    }
  }, [shape])

  const said = useRef<HTMLParagraphElement>(null)
  const onKey = (e: React.KeyboardEvent) => {
    const next = keyed(e, shown.current, plot.current)
    if (!next) return
    e.preventDefault()
    if (next.view) shown.current.onView(next.view)
    if (next.at !== undefined && said.current) said.current.textContent = reading(shown.current, next.at)
  }
  return (
    <Column>
      <TraceKeys traces={props.traces} list={keys} />
      <Box
        ref={box}
        role="application"
        aria-roledescription="chart"
        aria-label={`${props.label}. Arrow keys read it, plus and minus zoom, shift and arrow keys move, Escape goes to now.`}
        tabIndex={0}
        onKeyDown={onKey}
        data-chart={props.traces.map((t) => t.key).join(' ')}
        data-from={Math.round(props.bounds.from)}
        data-until={Math.round(props.bounds.until)}
      >
        <Unseen ref={said} role="status" />
      </Box>
    </Column>
  )
}

const dashes = (tone: number, faint?: boolean) => (faint ? [2, 3] : tone > 4 ? [7, 3] : [])

/** What each line is, and what it reads where the cursor is. */
function TraceKeys({ traces, list }: { traces: Trace[]; list: React.RefObject<HTMLUListElement | null> }) {
  return (
    <Keys ref={list}>
      {traces.map((t) => (
        <li key={t.key}>
          <svg width="20" height="8" aria-hidden="true">
            <path
              d="M0 4H20"
              stroke={`var(--line-${t.tone})`}
              strokeWidth="2.4"
              strokeDasharray={dashes(t.tone, t.faint).join(' ')}
            />
          </svg>
          {t.title} <b data-reads={t.key} />
        </li>
      ))}
    </Keys>
  )
}

const told = (t: Trace, v: number | null) => (v == null ? '–' : t.states ? t.states[v ? 1 : 0] : traceSays(t, v))

function reading(p: Props, at: number) {
  const seconds: Intl.DateTimeFormatOptions = { hour: '2-digit', minute: '2-digit', second: '2-digit' }
  return `${clock(at, p.zone, { day: 'numeric', month: 'short', ...seconds })}: ${p.traces.map((t) => `${t.title} ${told(t, valueAt(t, at))}`).join(', ')}`
}

/** Writes what the lines read at an instant, without drawing the page anew. */
function writeKeys(list: HTMLUListElement | null, p: Props, at: number | undefined) {
  list?.querySelectorAll<HTMLElement>('[data-reads]').forEach((cell, i) => {
    const t = p.traces[i]
    if (!t) return
    const text = told(t, at === undefined ? (t.value.at(-1) ?? null) : valueAt(t, at))
    if (cell.textContent !== text) cell.textContent = text
  })
}

function keyed(e: React.KeyboardEvent, p: Props, u?: uPlot): { view?: View; at?: number } | undefined {
  const now = Date.now()
  const way = { ArrowLeft: -1, ArrowRight: 1 }[e.key]
  if (way && e.shiftKey) return { view: shifted(p.view, now, way / 4) }
  if (way && u) {
    const left = Math.min(
      u.bbox.width / devicePixelRatio,
      Math.max(0, (u.cursor.left ?? -1) < 0 ? u.bbox.width / devicePixelRatio : u.cursor.left! + 6 * way),
    )
    u.setCursor({ left, top: 10 })
    return { at: u.posToVal(left, 'x') }
  }
  switch (e.key) {
    case '+':
    case '=':
      return {
        view: zoomed(p.view, now, 0.5, u && (u.cursor.left ?? -1) >= 0 ? u.posToVal(u.cursor.left!, 'x') : undefined),
      }
    case '-':
      return { view: zoomed(p.view, now, 2) }
    case 'Escape':
      return p.view.fixed ? { view: { span: p.view.span } } : undefined
  }
}

function update(plot: uPlot, p: Props, list: HTMLUListElement | null) {
  plot.batch(() => {
    plot.setData(columnsOf(p.traces), false)
    plot.setScale('x', { min: p.bounds.from, max: p.bounds.until })
    unitsOf(p.traces).forEach((unit, i) => {
      const [min, max] = range(p, unit, i === 0)
      plot.setScale(`y${i}`, { min, max })
    })
  })
  if ((plot.cursor.left ?? -1) < 0) writeKeys(list, p, undefined)
}

/** The units of the lines, each with an axis of its own: two at most. */
const unitsOf = (traces: Trace[]) => [...new Set(traces.map((t) => t.unit))].slice(0, 2)

/** The values to show: all that is in view, and limits that are not further away than the lines are high. */
function range(p: Props, unit: string, first: boolean): [number, number] {
  let bottom = Infinity
  let top = -Infinity
  for (const t of p.traces) {
    if (t.unit !== unit) continue
    if (t.states) [bottom, top] = [Math.min(bottom, 0), Math.max(top, 1)]
    for (const column of [t.value, t.low ?? [], t.high ?? []])
      column.forEach((v, i) => {
        if (v == null || t.at[i]! < p.bounds.from || t.at[i]! > p.bounds.until) return
        if (v < bottom) bottom = v
        if (v > top) top = v
      })
  }
  if (bottom > top) [bottom, top] = [0, 1]
  const reach = Math.max(top - bottom, Math.abs(top) * 0.05, 1e-9)
  if (first)
    for (const { limit } of p.limits ?? [])
      if (limit > bottom - 1.5 * reach && limit < top + 1.5 * reach) {
        bottom = Math.min(bottom, limit)
        top = Math.max(top, limit)
      }
  if (p.filled) bottom = Math.min(bottom, Math.max(0, bottom - reach))
  const margin = (top - bottom || reach) * 0.08
  return [bottom - margin, top + margin]
}

function options(
  shown: { current: Props },
  size: { width: number; height: number },
  keys: React.RefObject<HTMLUListElement | null>,
): uPlot.Options {
  const p = shown.current
  const ink = colour('ink-soft')
  const face = `12px ${colour('face')}`
  const units = unitsOf(p.traces)
  const axis: uPlot.Axis = {
    stroke: ink,
    font: face,
    grid: { stroke: colour('line'), width: 1 },
    ticks: { show: false },
  }
  const series: uPlot.Series[] = [{}]
  const bands: uPlot.Band[] = []
  for (const t of p.traces) {
    const stroke = colour(`line-${t.tone}`)
    const scale = `y${Math.max(0, units.indexOf(t.unit))}`
    series.push({
      scale,
      stroke,
      width: t.faint ? 1 : 1.5,
      dash: dashes(t.tone, t.faint),
      alpha: t.faint ? 0.75 : 1,
      spanGaps: false,
      points: { show: false },
      ...(t.stepped || t.states ? { paths: uPlot.paths.stepped!({ align: 1 }) } : {}),
      ...(p.filled && !t.faint ? { fill: `color-mix(in srgb, ${stroke} 16%, transparent)` } : {}),
    })
    if (t.low) {
      const edge = { scale, stroke, width: 0.6, alpha: 0.7, spanGaps: false, points: { show: false } }
      series.push(edge, edge)
      bands.push({
        series: [series.length - 1, series.length - 2],
        fill: `color-mix(in srgb, ${stroke} 20%, transparent)`,
      })
    }
  }
  const now = () => shown.current
  return {
    ...size,
    ms: 1,
    tzDate: (at) => uPlot.tzDate(new Date(at), now().zone),
    legend: { show: false },
    padding: [10, units.length > 1 ? 0 : 12, 0, 0],
    cursor: {
      y: false,
      points: { size: 7 },
      drag: { x: true, y: false, setScale: false },
      bind: { mousedown: (u, _, next) => (e) => (e.shiftKey ? (pan(u, e, now), null) : next(e)) },
      ...(p.group ? { sync: { key: p.group, scales: ['x', null] as [string, null] } } : {}),
    },
    scales: { x: { time: true, auto: false }, y0: { auto: false }, y1: { auto: false } },
    axes: [
      { ...axis, grid: { show: false }, size: 26, values: (_, ticks) => ticks.map((t) => tick(t, now().zone)) },
      ...units.map((unit, i) => valueAxis({ ...axis, scale: `y${i}`, side: i === 0 ? 3 : 1 }, p.traces, unit, i)),
    ],
    series,
    bands,
    hooks: {
      setCursor: [
        (u) => {
          const at = (u.cursor.left ?? -1) < 0 ? undefined : u.posToVal(u.cursor.left!, 'x')
          writeKeys(keys.current, now(), at)
          now().onCursor?.(at)
        },
      ],
      setSelect: [
        (u) => {
          if (u.select.width < 6 || !u.over.matches(':hover')) return
          const from = u.posToVal(u.select.left, 'x')
          const until = u.posToVal(u.select.left + u.select.width, 'x')
          u.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false)
          now().onView(framed(now().view, from, until))
        },
      ],
      drawClear: [(u) => drawBands(u, now().bands ?? [], 'y0'), (u) => drawAlarms(u, now().alarms ?? [])],
      draw: [
        (u) => drawDoubts(u, now().doubts ?? []),
        (u) => drawRemarks(u, now().remarks ?? []),
        (u) => drawLimits(u, now().limits ?? [], units[0] ?? '', 'y0'),
        (u) => drawClockChanges(u, now().zone),
        (u) => drawNotes(u, now().notes ?? []),
      ],
    },
  }
}

/** The axis of values of one unit: figures with the unit at the top, or the names of off and on. */
function valueAxis(axis: uPlot.Axis, traces: Trace[], unit: string, index: number): uPlot.Axis {
  const grid = index === 0 ? axis.grid : { show: false }
  const states = traces.filter((t) => t.unit === unit).every((t) => t.states)
    ? traces.find((t) => t.unit === unit)?.states
    : undefined
  if (states) return { ...axis, grid, size: 72, splits: () => [0, 1], values: () => states }
  return {
    ...axis,
    grid,
    size: 58,
    values: (_, ticks) => ticks.map((v, i) => (i === ticks.length - 1 && unit ? `${figure(v)} ${unit}` : figure(v))),
  }
}

/** Moves what is in view with the mouse. */
function pan(u: uPlot, begin: MouseEvent, now: () => Props) {
  const { bounds, view } = now()
  const perPixel = (bounds.until - bounds.from) / (u.bbox.width / devicePixelRatio)
  const move = (e: MouseEvent) => {
    const by = (begin.clientX - e.clientX) * perPixel
    now().onView(shifted({ span: view.span, fixed: bounds }, Date.now(), by / (bounds.until - bounds.from)))
  }
  const end = () => {
    removeEventListener('mousemove', move)
    removeEventListener('mouseup', end)
  }
  addEventListener('mousemove', move)
  addEventListener('mouseup', end)
}

/** Colours of lines: the one that is asked for, else the next that is free. */
export function tonesFor(asked: (number | undefined)[]): number[] {
  const taken = new Set(asked.filter((t) => t))
  let next = 1
  return asked.map((tone) => {
    if (tone) return tone
    while (taken.has(next) && next < 8) next++
    const own = next
    taken.add(own)
    next = (next % 8) + 1
    return own
  })
}
