import { useQuery } from '@tanstack/react-query'
import { keyOf } from './changes'
import { api, type Result, take, type TotalNow } from './client'
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

export const lookAtTariff = (tariff: string) => api.GET('/api/v1/tariffs/{tariff}', { params: { path: { tariff } } })
export const useTariffs = () =>
  useQuery({ queryKey: keyOf('tariffs'), queryFn: () => take(api.GET('/api/v1/tariffs')), staleTime: 10_000 })
export const useTotals = () =>
  useQuery({ queryKey: keyOf('totals'), queryFn: () => take(api.GET('/api/v1/totals')), refetchInterval: 10_000 })
export const useTotal = (total: string, by: 'day' | 'week' | 'month') =>
  useQuery({
    queryKey: keyOf('totals', total, by),
    queryFn: () => take(api.GET('/api/v1/totals/{total}', { params: { path: { total }, query: { by } } })),
    refetchInterval: 10_000,
  })

export const useStatements = () =>
  useQuery({ queryKey: keyOf('statements'), queryFn: () => take(api.GET('/api/v1/statements')) })
export const useSheet = (statement: string, at: string) =>
  useQuery({
    queryKey: keyOf('sheet', statement, at),
    queryFn: () =>
      take(
        api.GET('/api/v1/statements/{statement}/sheet', {
          params: { path: { statement }, query: at ? { at } : {} },
        }),
      ),
  })
