import type { Result, TotalNow } from './client'
import { written } from './units'
import { figure, length } from './words'

/** What a total comes to, for people. */
export function comesTo(t: Pick<TotalNow, 'kind' | 'unit'>, r: Result) {
  switch (t.kind) {
    case 'on-time':
    case 'longest-run':
      return length(r.value * 1000)
    case 'cost':
      return `${r.cost} ${t.unit}`
    case 'cycles':
      return figure(r.value)
    default:
      return `${figure(Number(r.value.toPrecision(6)))} ${written(t.unit)}`
  }
}
