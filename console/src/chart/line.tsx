import { useEffect, useRef } from 'react'
import uPlot from 'uplot'
import 'uplot/dist/uPlot.min.css'
import type { Band, Doubt, Line } from '../api/client'
import { figure } from '../api/words'
import { colour, drawAlarms, drawBands, drawDoubts, drawLimits, type Limit, type Span, tick } from './paint'

/** Where the plot lies in its box, in CSS pixels, and which values it spans. */
export type Scale = { top: number; left: number; width: number; height: number; bottom: number; peak: number }

type Props = {
  line: Line
  from: number
  until: number
  unit: string
  zone: string
  limits: Limit[]
  alarms: Span[]
  bands?: Band[]
  doubts?: Doubt[] // stretches whose readings are of no use
  states?: [string, string] // of what is off or on: the names of both
  label: string // says in words what the chart shows
  span?: [number, number] // the values to show, when they are not to follow the line
  onScale?: (scale: Scale) => void // told after each drawing that moved the scale
}

const height = 300

/** Breaks the line where readings are missing: where one comes much later than they usually do. */
function withGaps(line: Line, column: number): [number[], (number | null)[]] {
  const steps = line.at.slice(1).map((t, i) => t - line.at[i]!)
  const usual = [...steps].sort((a, b) => a - b)[Math.floor(steps.length / 2)] ?? 0
  const gap = Math.max(8 * usual, 3 * column)
  const x: number[] = []
  const y: (number | null)[] = []
  line.at.forEach((t, i) => {
    if (i > 0 && t - line.at[i - 1]! > gap) {
      x.push(line.at[i - 1]! + 1)
      y.push(null)
    }
    x.push(t)
    y.push(line.value[i]!)
  })
  return [x, y]
}

/** A signal's line with its limits and with its alarms as stretches. */
export function LineChart(props: Props) {
  const box = useRef<HTMLDivElement>(null)
  const plot = useRef<uPlot>(undefined)
  const shown = useRef(props)

  useEffect(() => {
    const element = box.current
    if (!element) return
    const draw = () => {
      plot.current?.destroy()
      plot.current = new uPlot(options(shown, element.clientWidth), [[], []], element)
      update(plot.current, shown.current)
    }
    draw()
    const resized = new ResizeObserver(() => plot.current?.setSize({ width: element.clientWidth, height }))
    resized.observe(element)
    const theme = matchMedia('(prefers-color-scheme: dark)')
    theme.addEventListener('change', draw)
    return () => {
      theme.removeEventListener('change', draw)
      resized.disconnect()
      plot.current?.destroy()
    }
  }, [props.zone, props.unit])

  useEffect(() => {
    shown.current = props
    if (plot.current) update(plot.current, props)
  }, [props])

  return <div ref={box} role="img" aria-label={props.label} style={{ height, overflow: 'hidden' }} />
}

function update(plot: uPlot, p: Props) {
  const [x, y] = withGaps(p.line, (p.until - p.from) / Math.max(1, plot.width))
  plot.batch(() => {
    plot.setData([x, y], false)
    plot.setScale('x', { min: p.from, max: p.until })
    const [bottom, top] = range(p)
    plot.setScale('y', { min: bottom, max: top })
  })
}

/** The values to show: all of the line, and limits that are not further away than the line is high. */
function range(p: Props): [number, number] {
  if (p.span) return p.span
  const inView = p.line.value.filter((_, i) => p.line.at[i]! >= p.from)
  let bottom = Math.min(...inView)
  let top = Math.max(...inView)
  if (inView.length === 0) [bottom, top] = [0, 1]
  const reach = Math.max(top - bottom, Math.abs(top) * 0.05, 1e-9)
  for (const { limit } of p.limits) {
    if (limit > bottom - 2.5 * reach && limit < top + 2.5 * reach) {
      bottom = Math.min(bottom, limit)
      top = Math.max(top, limit)
    }
  }
  const margin = (top - bottom || reach) * 0.08
  return [bottom - margin, top + margin]
}

function options(shown: { current: Props }, width: number): uPlot.Options {
  const ink = colour('ink-soft')
  const face = `12px ${colour('face')}`
  const axis: uPlot.Axis = {
    stroke: ink,
    font: face,
    grid: { stroke: colour('line'), width: 1 },
    ticks: { show: false },
  }
  return {
    width,
    height,
    ms: 1,
    tzDate: (at) => uPlot.tzDate(new Date(at), shown.current.zone),
    legend: { show: false },
    cursor: { y: false, drag: { x: false, y: false } },
    scales: { x: { time: true, auto: false }, y: { auto: false } },
    axes: [
      { ...axis, grid: { show: false }, values: (_, ticks) => ticks.map((t) => tick(t, shown.current.zone)) },
      valueAxis(axis, shown.current.states),
    ],
    series: [{}, { stroke: colour('line-1'), width: 1.4, spanGaps: false, points: { show: false } }],
    hooks: {
      drawClear: [(u) => drawBands(u, shown.current.bands ?? []), (u) => drawAlarms(u, shown.current.alarms)],
      draw: [
        (u) => drawDoubts(u, shown.current.doubts ?? []),
        (u) => drawLimits(u, shown.current.limits, shown.current.unit),
        (u) => shown.current.onScale?.(scaleOf(u)),
      ],
    },
  }
}

function scaleOf(u: uPlot): Scale {
  const ratio = devicePixelRatio
  const { top, left, width, height: tall } = u.bbox
  const { min, max } = u.scales.y!
  return {
    top: top / ratio,
    left: left / ratio,
    width: width / ratio,
    height: tall / ratio,
    bottom: min ?? 0,
    peak: max ?? 1,
  }
}

/** The axis of the values: figures, or the names of off and on. */
const valueAxis = (axis: uPlot.Axis, states?: [string, string]): uPlot.Axis =>
  states
    ? { ...axis, size: 72, splits: () => [0, 1], values: () => states }
    : { ...axis, size: 56, values: (_, ticks) => ticks.map((v) => figure(v)) }
