import type { Result, TotalNow } from './client'
import { written } from './units'
import { counted, length, sized } from './words'

/** What a total comes to, for people. */
export function comesTo(t: Pick<TotalNow, 'kind' | 'unit'>, r: Result) {
  switch (t.kind) {
    case 'on-time':
    case 'longest-run':
      return length(r.value * 1000)
    case 'cost':
      return `${r.cost} ${t.unit}`
    case 'cycles':
      return counted(r.value, 'start', 'starts')
    default:
      return sized(r.value, t.unit, written(t.unit))
  }
}
