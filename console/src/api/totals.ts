import type { Result, TotalNow } from './client'
import { written } from './units'
import { counted, length, sized } from './words'

/** What a total came to in a run. */
export const sumWords = (s: { kind: string; unit: string; value: number }) =>
  comesTo(s as Pick<TotalNow, 'kind' | 'unit'>, { value: s.value, cost: s.value.toFixed(2) } as Result)

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
