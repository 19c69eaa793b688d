import type { UnitFacts } from './client'

/** In which units this person sees values: what is known of units, and which are wanted, by what they measure.
 *  It is set once the session is known; the pages are drawn anew when it changes. */
let facts = new Map<string, UnitFacts>()
let wanted: Record<string, string> = {}

export function see(units: UnitFacts[], site: Record<string, string>, person: Record<string, string>) {
  facts = new Map(units.map((u) => [u.code, u]))
  wanted = { ...site, ...person }
}

/** The unit in which values of a unit are seen. Kelvins stay: they are differences. */
export function seenUnit(stored: string) {
  const dimension = facts.get(stored)?.dimension
  return (stored !== 'K' && dimension && wanted[dimension]) || stored
}

/** A value in another unit, as the service converts it: to so many decimals where the scales have other zeros, else to the
 *  digits that the figures carry. */
function convert(value: number, from: UnitFacts, to: UnitFacts, decimals: number) {
  const moved = (value * from.factor + (from.offset - to.offset)) / to.factor
  if (from.offset === to.offset) return Number(((value * from.factor) / to.factor).toPrecision(14))
  return Math.abs(moved) < 1e5 ? Math.round(moved * 10 ** decimals) / 10 ** decimals : moved
}

/** A value as it is seen: with one decimal less than the service keeps, so that 49 °F are 49 °F again. */
export function seen(value: number, stored: string) {
  const from = facts.get(stored)
  const to = facts.get(seenUnit(stored))
  return !from || !to || from === to ? value : convert(value, from, to, 8)
}

/** A value as it is stored, of one as it is seen. */
export function stored(value: number, unit: string) {
  const to = facts.get(unit)
  const from = facts.get(seenUnit(unit))
  return !from || !to || from === to ? value : convert(value, from, to, 9)
}

/** A difference of two values as it is seen: it is scaled, and does not move. */
export function seenDifference(difference: number, stored: string) {
  const from = facts.get(stored)
  const to = facts.get(seenUnit(stored))
  if (!from || !to || from === to) return difference
  const scaled = (difference * from.factor) / to.factor
  return from.offset === to.offset ? Number(scaled.toPrecision(14)) : Math.round(scaled * 1e8) / 1e8
}

/** A step of a unit as it is seen, as the power of ten that is no larger where the sizes differ: 0.1 °C is told to 0.1 °F. */
export function seenStep(step: number, stored: string, to = seenUnit(stored)) {
  const from = facts.get(stored)
  const into = facts.get(to)
  if (!(step > 0) || !from || !into) return Math.max(step, 0)
  const size = (step * from.factor) / into.factor
  return Math.abs(size - step) < step / 1e9 ? step : 10 ** Math.floor(Math.log10(size) + 1e-9)
}

/** What is measured in time, in seconds; undefined of all else. */
export function secondsOf(value: number, unit: string) {
  const f = facts.get(unit)
  return f?.dimension === 'time' ? value * f.factor : undefined
}

/** How the unit in which values of a unit are seen is written behind a figure. */
export const shown = (unit: string) => facts.get(seenUnit(unit))?.shown ?? unit

/** How a unit itself is written. */
export const written = (unit: string) => facts.get(unit)?.shown ?? unit

/** The units of a dimension. */
export const unitsOf = (dimension: string) => [...facts.values()].filter((u) => u.dimension === dimension)
export const dimensionOf = (unit: string) => facts.get(unit)?.dimension ?? ''
