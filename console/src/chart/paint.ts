import type uPlot from 'uplot'
import type { Alarm, Band, Doubt } from '../api/client'
import { clock, figure } from '../api/words'
import { clockChanges } from './trace'

/** An alarm as a stretch of time. */
export type Span = Pick<Alarm, 'raised_at' | 'cleared_at' | 'severity'>
export type Limit = { limit: number; severity: string; name?: string } // severity gives the colour; name, else it, is written

/** A token of the theme as it is now. */
export function colour(name: string) {
  let value = tokens.get(name)
  if (value === undefined)
    tokens.set(name, (value = getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim()))
  return value
}
const tokens = new Map<string, string>()
const forget = () => tokens.clear()
matchMedia('(prefers-color-scheme: dark)').addEventListener('change', forget)
for (const event of ['lark-paper', 'lark-screen']) addEventListener(event, forget)

/** A time on the axis: at midnight the day. */
export function tick(at: number, zone: string) {
  const time = clock(at, zone)
  return time === '00:00' ? clock(at, zone, { day: 'numeric', month: 'short' }) : time
}

/** Bands as tinted stretches of the scale, with their names at the right. */
export function drawBands(u: uPlot, bands: Band[], scale = 'y') {
  if (!bands.length) return
  const { left, top, width, height } = u.bbox
  const ratio = devicePixelRatio
  u.ctx.save()
  u.ctx.font = `${12 * ratio}px ${colour('face')}`
  u.ctx.textAlign = 'right'
  for (const band of bands) {
    const upper = band.to == null ? top : Math.max(top, u.valToPos(band.to, scale, true))
    const lower = band.from == null ? top + height : Math.min(top + height, u.valToPos(band.from, scale, true))
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
export function drawDoubts(u: uPlot, doubts: Doubt[]) {
  const { left, top, width, height } = u.bbox
  const ratio = devicePixelRatio
  u.ctx.save()
  u.ctx.strokeStyle = colour('silent')
  u.ctx.lineWidth = ratio
  for (const d of doubts) {
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

export function drawAlarms(u: uPlot, alarms: Span[]) {
  const { left, top, width, height } = u.bbox
  u.ctx.save()
  for (const a of alarms) {
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

export function drawLimits(u: uPlot, limits: Limit[], unit: string, scale = 'y') {
  const { left, top, width, height } = u.bbox
  const ratio = devicePixelRatio
  u.ctx.save()
  u.ctx.font = `${12 * ratio}px ${colour('face')}`
  u.ctx.textAlign = 'left'
  for (const { limit, severity, name } of limits) {
    const y = u.valToPos(limit, scale, true)
    if (y < top || y > top + height) continue
    u.ctx.strokeStyle = u.ctx.fillStyle = colour(severity)
    u.ctx.lineWidth = 1.4 * ratio
    u.ctx.setLineDash([6 * ratio, 4 * ratio])
    u.ctx.beginPath()
    u.ctx.moveTo(left, y)
    u.ctx.lineTo(left + width, y)
    u.ctx.stroke()
    u.ctx.fillText(`${figure(limit)} ${unit}  ${name ?? severity}`, left + 6 * ratio, y - 5 * ratio)
  }
  u.ctx.restore()
}

export type NoteMark = { at: number; text: string }

/** Stretches that came late or were corrected: a dotted and a dashed line along the foot. */
export function drawRemarks(u: uPlot, remarks: Doubt[]) {
  const { left, top, width, height } = u.bbox
  const ratio = devicePixelRatio
  u.ctx.save()
  u.ctx.strokeStyle = colour('ink-soft')
  u.ctx.lineWidth = 3 * ratio
  for (const d of remarks) {
    const begin = Math.max(left, u.valToPos(Date.parse(d.from), 'x', true))
    const end = Math.min(left + width, Math.max(begin + 3 * ratio, u.valToPos(Date.parse(d.until), 'x', true)))
    if (end <= left || begin >= left + width) continue
    const corrected = d.quality.includes('corrected')
    u.ctx.setLineDash(corrected ? [8 * ratio, 4 * ratio] : [2 * ratio, 3 * ratio])
    const y = top + height - (corrected ? 3 : 8) * ratio
    u.ctx.beginPath()
    u.ctx.moveTo(begin, y)
    u.ctx.lineTo(end, y)
    u.ctx.stroke()
  }
  u.ctx.restore()
}

/** Notes as flags with a fine line down. */
export function drawNotes(u: uPlot, notes: NoteMark[]) {
  const { left, top, width, height } = u.bbox
  const ratio = devicePixelRatio
  u.ctx.save()
  u.ctx.strokeStyle = u.ctx.fillStyle = colour('ink')
  u.ctx.font = `${11 * ratio}px ${colour('face')}`
  u.ctx.lineWidth = ratio
  for (const n of notes) {
    const x = Math.round(u.valToPos(n.at, 'x', true))
    if (x < left || x > left + width) continue
    u.ctx.beginPath()
    u.ctx.moveTo(x, top)
    u.ctx.lineTo(x, top + height)
    u.ctx.globalAlpha = 0.35
    u.ctx.stroke()
    u.ctx.globalAlpha = 1
    u.ctx.beginPath()
    u.ctx.moveTo(x, top)
    u.ctx.lineTo(x + 9 * ratio, top + 4 * ratio)
    u.ctx.lineTo(x, top + 8 * ratio)
    u.ctx.fill()
    const text = n.text.length > 28 ? `${n.text.slice(0, 27)}…` : n.text
    const room = x + 12 * ratio + u.ctx.measureText(text).width < left + width
    u.ctx.textAlign = room ? 'left' : 'right'
    u.ctx.fillText(text, x + (room ? 12 : -5) * ratio, top + 9 * ratio)
  }
  u.ctx.restore()
}

/** Where the clocks change: a dashed line down, with what happens to them. */
export function drawClockChanges(u: uPlot, zone: string) {
  const { min, max } = u.scales.x!
  if (min == null || max == null) return
  const { top, height } = u.bbox
  const ratio = devicePixelRatio
  u.ctx.save()
  u.ctx.strokeStyle = u.ctx.fillStyle = colour('ink-soft')
  u.ctx.font = `${11 * ratio}px ${colour('face')}`
  u.ctx.setLineDash([2 * ratio, 4 * ratio])
  for (const c of clockChanges(min, max, zone)) {
    const x = Math.round(u.valToPos(c.at, 'x', true))
    u.ctx.beginPath()
    u.ctx.moveTo(x, top)
    u.ctx.lineTo(x, top + height)
    u.ctx.stroke()
    u.ctx.fillText(clockChangeWords(c.minutes), x + 4 * ratio, top + height - 12 * ratio)
  }
  u.ctx.restore()
}

export const clockChangeWords = (minutes: number) =>
  `clocks go ${minutes < 0 ? 'back' : 'forward'} ${Math.abs(minutes) % 60 === 0 ? `${Math.abs(minutes) / 60} h` : `${Math.abs(minutes)} min`}`
