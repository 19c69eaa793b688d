import type { Guard, Signal, Spark } from '../api/client'
import { pathOf } from '../api/client'
import { seen } from '../api/units'
import { limitsFor } from '../api/words'

/** The scale of one signal, in the unit in which it is seen: what it spans, where it is normal, and its limits. */
export type Scale = { low: number; high: number; normal?: [number, number]; limits: { at: number; severity: string }[] }

/** The scale on which a value is judged at a glance: all limits and the last day lie on it; the instrument's own span
 *  where that is not far wider. */
export function scaleOf(s: Signal, guards: Guard[] | null | undefined, day: Spark | undefined): Scale {
  const eye = (v: number) => seen(v, s.unit)
  const limits = limitsFor(guards, pathOf(s)).map((l) => ({ at: eye(l.limit), severity: l.severity }))
  const bands = s.bands.flatMap((b) => [b.from, b.to]).filter((v) => v != null)
  const known = [...limits.map((l) => l.at), ...bands.map(eye), ...values(day).map(eye)]
  if (s.value != null) known.push(eye(s.value))
  let low = Math.min(...known)
  let high = Math.max(...known)
  if (!known.length) [low, high] = [0, 1]
  const room = (high - low || Math.abs(high) || 1) * 0.15
  low -= room
  high += room
  const ends = [s.span_low, s.span_high].map((v) => (v == null ? undefined : eye(v)))
  if (ends[0] !== undefined && (ends[0] > low || low - ends[0] < 2 * (high - low))) low = ends[0]
  if (ends[1] !== undefined && (ends[1] < high || ends[1] - high < 2 * (high - low))) high = ends[1]
  return { low, high, normal: normalOf(s, guards, low, high), limits }
}

const values = (day: Spark | undefined) => [...(day?.low ?? []), ...(day?.high ?? [])].filter((v) => v != null)

/** Where nothing guards against: between the nearest limits. */
function normalOf(
  s: Signal,
  guards: Guard[] | null | undefined,
  low: number,
  high: number,
): [number, number] | undefined {
  let [from, to] = [low, high]
  let found = false
  for (const g of (guards ?? []).filter((g) => g.signal === pathOf(s)))
    for (const r of [g, ...(g.rungs ?? [])]) {
      const numbers = (r.when.match(/-?\d+(\.\d+)?/g) ?? []).map((n) => seen(Number(n), s.unit))
      const [a, b] = numbers
      if (a === undefined) continue
      found = true
      if (/^(above|at least)/.test(r.when)) to = Math.min(to, a)
      else if (/^(below|at most)/.test(r.when)) from = Math.max(from, a)
      else if (r.when.startsWith('outside') && b !== undefined) [from, to] = [Math.max(from, a), Math.min(to, b)]
      else found = false
    }
  return found && from < to ? [from, to] : undefined
}

/** A place on a scale, 0 to 1. */
export const along = (scale: Scale, v: number) => Math.min(1, Math.max(0, (v - scale.low) / (scale.high - scale.low)))
