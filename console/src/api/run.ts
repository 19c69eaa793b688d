import { useQuery } from '@tanstack/react-query'
import { keyOf } from './changes'
import { api, type Precondition, type Goal, type Plan, type RunChange, type RunStart, take } from './client'
import { seen, shown } from './units'
import { figure } from './words'

export const useRuns = (asset: string) =>
  useQuery({
    queryKey: keyOf('runs', 'of', asset),
    queryFn: () => take(api.GET('/api/v1/runs', { params: { query: asset ? { asset } : {} } })),
    refetchInterval: 10_000,
  })
export const useRun = (id: number) =>
  useQuery({
    queryKey: keyOf('runs', id),
    queryFn: () => take(api.GET('/api/v1/runs/{id}', { params: { path: { id } } })),
    refetchInterval: (query) => (query.state.data?.ended_at ? false : 10_000),
  })
export const useRunComparison = (runs: string, signal: string) =>
  useQuery({
    queryKey: keyOf('runs', 'compared', runs, signal),
    queryFn: () => take(api.GET('/api/v1/run-comparison', { params: { query: { runs, signal } } })),
    enabled: runs.includes(','),
  })
export const usePlans = () =>
  useQuery({ queryKey: keyOf('run-plans'), queryFn: () => take(api.GET('/api/v1/run-plans')) })

const at = (id: number) => ({ params: { path: { id } } })
export const startRun = (body: RunStart) => take(api.POST('/api/v1/runs', { body }))
export const lookAtRun = (id: number) => api.GET('/api/v1/runs/{id}', at(id))
export const patchRun = (id: number, header: Precondition, body: RunChange) =>
  api.PATCH('/api/v1/runs/{id}', { params: { path: { id }, header }, body })
export const stopRun = (id: number) => take(api.POST('/api/v1/runs/{id}/stop', { ...at(id), body: {} }))
export const markPhase = (id: number, name: string) =>
  take(api.POST('/api/v1/runs/{id}/phases', { ...at(id), body: { name } }))
export const removeRun = (id: number) => take(api.DELETE('/api/v1/runs/{id}', at(id)))
export const addPlan = (plan: string, body: Plan) =>
  take(api.PUT('/api/v1/run-plans/{plan}', { params: { path: { plan }, header: { 'If-None-Match': '*' } }, body }))
export const removePlan = (plan: string) => take(api.DELETE('/api/v1/run-plans/{plan}', { params: { path: { plan } } }))
export const report = (id: number, as: 'html' | 'pdf' | 'csv') => `/api/v1/runs/${id}/report?as=${as}`

/** A goal as people write it; goalOf reads it back. */
export function goalText(g: Goal, unit: string): string {
  const v = (n: number) => figure(seen(n, unit))
  if (g.reach != null) return `${g.signal} ${g.falls ? 'falls to' : 'reaches'} ${v(g.reach)} ${shown(unit)}`.trim()
  const band =
    g.low == null
      ? `at most ${v(g.high!)}`
      : g.high == null
        ? `at least ${v(g.low)}`
        : `between ${v(g.low)} and ${v(g.high)}`
  return `${g.signal} ${band} ${shown(unit)}, ${g.share ?? 100} % of the time`
}
