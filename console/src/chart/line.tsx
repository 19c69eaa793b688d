import { useEffect, useRef } from 'react'
import uPlot from 'uplot'
import 'uplot/dist/uPlot.min.css'
import type { Alarm, Band, Doubt, Line } from '../api/client'
import { clock, figure } from '../api/words'

/** An alarm as a stretch of time. */
export type Span = Pick<Alarm, 'raised_at' | 'cleared_at' | 'severity'>

/** Where the plot lies in its box, in CSS pixels, and which values it spans. */
export type Scale = { top: number; left: number; width: number; height: number; bottom: number; peak: number }

type Props = {
  line: Line
  from: number
  until: number
  unit: string
  zone: string
  limits: { limit: number; severity: string }[]
  alarms: Span[]
  bands?: Band[]
  doubts?: Doubt[] // stretches whose readings are of no use
  states?: [string, string] // of what is off or on: the names of both
  label: string // says in words what the chart shows
  span?: [number, number] // the values to show, when they are not to follow the line
  onScale?: (scale: Scale) => void // told after each drawing that moved the scale
}

const height = 300
const colour = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim()

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
      drawClear: [(u) => drawBands(u, shown.current), (u) => drawAlarms(u, shown.current)],
      draw: [
        (u) => drawDoubts(u, shown.current),
        (u) => drawLimits(u, shown.current),
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

/** A time on the axis: at midnight the day. */
function tick(at: number, zone: string) {
  const time = clock(at, zone)
  return time === '00:00' ? clock(at, zone, { day: 'numeric', month: 'short' }) : time
}

/** Bands as tinted stretches of the scale, with their names at the right. */
function drawBands(u: uPlot, p: Props) {
  const { left, top, width, height } = u.bbox
  const ratio = devicePixelRatio
  u.ctx.save()
  u.ctx.font = `${12 * ratio}px ${colour('face')}`
  u.ctx.textAlign = 'right'
  for (const band of p.bands ?? []) {
    const upper = band.to == null ? top : Math.max(top, u.valToPos(band.to, 'y', true))
    const lower = band.from == null ? top + height : Math.min(top + height, u.valToPos(band.from, 'y', true))
    if (lower <= top || upper >= top + height || lower <= upper) continue
    if (band.colour) {
      u.ctx.fillStyle = colour(`band-${band.colour}`)
      u.ctx.globalAlpha = 0.13
      u.ctx.fillRect(left, upper, width, lower - upper)
      u.ctx.globalAlpha = 1
    }
    if (lower - upper < 16 * ratio) continue
    u.ctx.fillStyle = colour('ink-soft')
    u.ctx.fillText(band.name, left + width - 6 * ratio, upper + 14 * ratio)
  }
  u.ctx.restore()
}

/** Stretches whose readings are of no use, hatched. */
function drawDoubts(u: uPlot, p: Props) {
  const { left, top, width, height } = u.bbox
  const ratio = devicePixelRatio
  u.ctx.save()
  u.ctx.strokeStyle = colour('silent')
  u.ctx.lineWidth = ratio
  for (const d of p.doubts ?? []) {
    const begin = Math.max(left, u.valToPos(Date.parse(d.from), 'x', true))
    const end = Math.min(left + width, Math.max(begin + 3 * ratio, u.valToPos(Date.parse(d.until), 'x', true)))
    if (end <= left || begin >= left + width) continue
    u.ctx.save()
    u.ctx.beginPath()
    u.ctx.rect(begin, top, end - begin, height)
    u.ctx.clip()
    u.ctx.beginPath()
    for (let x = begin - height; x < end; x += 8 * ratio) {
      u.ctx.moveTo(x, top + height)
      u.ctx.lineTo(x + height, top)
    }
    u.ctx.globalAlpha = 0.7
    u.ctx.stroke()
    u.ctx.restore()
  }
  u.ctx.restore()
}

function drawAlarms(u: uPlot, p: Props) {
  const { left, top, width, height } = u.bbox
  u.ctx.save()
  for (const a of p.alarms) {
    const begin = Math.max(left, u.valToPos(Date.parse(a.raised_at), 'x', true))
    const end = Math.min(left + width, a.cleared_at ? u.valToPos(Date.parse(a.cleared_at), 'x', true) : left + width)
    if (end < left || begin > left + width) continue
    u.ctx.fillStyle = colour(a.severity)
    u.ctx.globalAlpha = 0.14
    u.ctx.fillRect(begin, top, Math.max(3, end - begin), height)
    u.ctx.globalAlpha = 1
    u.ctx.fillRect(begin, top + height - 4, Math.max(3, end - begin), 4)
  }
  u.ctx.restore()
}

function drawLimits(u: uPlot, p: Props) {
  const { left, top, width, height } = u.bbox
  const ratio = devicePixelRatio
  u.ctx.save()
  u.ctx.font = `${12 * ratio}px ${colour('face')}`
  u.ctx.textAlign = 'left'
  for (const { limit, severity } of p.limits) {
    const y = u.valToPos(limit, 'y', true)
    if (y < top || y > top + height) continue
    u.ctx.strokeStyle = u.ctx.fillStyle = colour(severity)
    u.ctx.lineWidth = 1.4 * ratio
    u.ctx.setLineDash([6 * ratio, 4 * ratio])
    u.ctx.beginPath()
    u.ctx.moveTo(left, y)
    u.ctx.lineTo(left + width, y)
    u.ctx.stroke()
    u.ctx.fillText(`${figure(limit)} ${p.unit}  ${severity}`, left + 6 * ratio, y - 5 * ratio)
  }
  u.ctx.restore()
}
