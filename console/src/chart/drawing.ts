import { clock, figure } from '../api/words'
import { colour, type Limit, type Span, tick } from './paint'
import type { Trace } from './trace'
import type { Stretch } from './window'

type Props = { title: string; traces: Trace[]; bounds: Stretch; zone: string; limits: Limit[]; alarms: Span[] }

export const drawingSize = { width: 960, height: 460 }
const { width, height } = drawingSize
const plot = { left: 64, right: 900, top: 64, bottom: 424 }
const escape = (text: string) => text.replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`)

/** Lines as a drawing of their own (SVG), as they are in view. */
export function drawing({ title, traces, bounds, zone, limits, alarms }: Props) {
  const out: string[] = []
  const units = [...new Set(traces.map((t) => t.unit))]
  const x = (at: number) => plot.left + ((at - bounds.from) / (bounds.until - bounds.from)) * (plot.right - plot.left)
  const text = (px: number, py: number, said: string, anchor = 'start', tone = 'ink-soft', size = 12) =>
    `<text x="${px.toFixed(1)}" y="${py.toFixed(1)}" text-anchor="${anchor}" fill="${colour(tone)}" font-size="${size}">${escape(said)}</text>`
  out.push(`<rect width="${width}" height="${height}" fill="${colour('surface')}"/>`)
  out.push(text(plot.left, 24, title, 'start', 'ink', 17))
  out.push(text(plot.right, 24, stretchWords(bounds, zone), 'end'))
  for (const a of alarms) {
    const [begin, end] = [x(Date.parse(a.raised_at)), x(a.cleared_at ? Date.parse(a.cleared_at) : bounds.until)]
    const [from, to] = [Math.max(plot.left, begin), Math.min(plot.right, Math.max(end, begin + 2))]
    if (to > from)
      out.push(
        `<rect x="${from.toFixed(1)}" y="${plot.top}" width="${(to - from).toFixed(1)}" height="${plot.bottom - plot.top}" fill="${colour(a.severity)}" opacity="0.16"/>`,
      )
  }
  const scales = units.map((unit) =>
    scale(
      traces.filter((t) => t.unit === unit),
      bounds,
    ),
  )
  scales.forEach((s, i) => {
    for (const v of s.ticks) {
      const y = s.y(v)
      if (i === 0) out.push(`<path d="M${plot.left} ${y.toFixed(1)}H${plot.right}" stroke="${colour('line')}"/>`)
      out.push(text(i === 0 ? plot.left - 8 : plot.right + 8, y + 4, figure(v), i === 0 ? 'end' : 'start'))
    }
    if (units[i]) out.push(text(i === 0 ? plot.left : plot.right, plot.top - 8, units[i], i === 0 ? 'end' : 'start'))
  })
  for (let i = 0; i <= 6; i++) {
    const at = bounds.from + (i / 6) * (bounds.until - bounds.from)
    out.push(text(x(at), plot.bottom + 20, tick(at, zone), 'middle'))
  }
  for (const l of limits) {
    const y = scales[0]?.y(l.limit)
    if (y === undefined || y < plot.top || y > plot.bottom) continue
    out.push(
      `<path d="M${plot.left} ${y.toFixed(1)}H${plot.right}" stroke="${colour(l.severity)}" stroke-dasharray="6 4"/>`,
    )
    out.push(text(plot.left + 6, y - 5, `${figure(l.limit)} ${units[0]} ${l.severity}`, 'start', l.severity))
  }
  traces.forEach((t, i) => {
    const s = scales[units.indexOf(t.unit)]!
    const stroke = colour(`line-${t.tone}`)
    const dash = t.faint ? ' stroke-dasharray="2 3"' : ''
    for (const column of [t.value, t.low, t.high])
      if (column)
        out.push(
          `<path d="${path(t, column, x, s.y, bounds)}" fill="none" stroke="${stroke}" stroke-width="1.4"${dash}/>`,
        )
    out.push(`<path d="M${plot.left + i * 210} 42h20" stroke="${stroke}" stroke-width="3"${dash}/>`)
    out.push(text(plot.left + i * 210 + 26, 46, t.title, 'start', 'ink'))
  })
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" font-family="sans-serif"><title>${escape(title)}</title>${out.join('')}</svg>`
}

const moment: Intl.DateTimeFormatOptions = {
  day: 'numeric',
  month: 'short',
  year: 'numeric',
  hour: '2-digit',
  minute: '2-digit',
}
export const stretchWords = (b: Stretch, zone: string) =>
  `${clock(b.from, zone, moment)} to ${clock(b.until, zone, moment)}, ${zone}`

function path(t: Trace, column: (number | null)[], x: (at: number) => number, y: (v: number) => number, b: Stretch) {
  let d = ''
  let pen = 'M'
  t.at.forEach((at, i) => {
    const v = column[i]
    if (at < b.from || at > b.until) return
    if (v == null) pen = 'M'
    else {
      d +=
        t.states && pen === 'L'
          ? `H${x(at).toFixed(1)}V${y(v).toFixed(1)}`
          : `${pen}${x(at).toFixed(1)} ${y(v).toFixed(1)}`
      pen = 'L'
    }
  })
  return d
}

/** A scale of one unit with round ticks. */
function scale(traces: Trace[], b: Stretch) {
  let low = Infinity
  let high = -Infinity
  for (const t of traces)
    for (const column of [t.value, t.low ?? [], t.high ?? []])
      column.forEach((v, i) => {
        if (v == null || t.at[i]! < b.from || t.at[i]! > b.until) return
        low = Math.min(low, v)
        high = Math.max(high, v)
      })
  if (low > high) [low, high] = [0, 1]
  if (low === high) [low, high] = [low - 1, high + 1]
  const rough = (high - low) / 5
  const power = 10 ** Math.floor(Math.log10(rough))
  const step = [1, 2, 5, 10].map((m) => m * power).find((s) => s >= rough) ?? rough
  const ticks = []
  for (let v = Math.ceil(low / step) * step; v <= high + step / 1e6; v += step) ticks.push(Number(v.toPrecision(10)))
  return { ticks, y: (v: number) => plot.bottom - ((v - low) / (high - low)) * (plot.bottom - plot.top) }
}
