import { useQuery } from '@tanstack/react-query'
import { keyOf } from './changes'
import { api, pathOf, type Signal, take } from './client'
import { LiveList } from './live-list'

export const at = (device: string, signal: string) => ({ params: { path: { device, signal } } })
export const lookAtSignal = (device: string, signal: string) =>
  api.GET('/api/v1/signals/{device}/{signal}', at(device, signal))
export const useTrust = (device: string, signal: string) =>
  useQuery({
    queryKey: keyOf('trust', device, signal),
    queryFn: () => take(api.GET('/api/v1/signals/{device}/{signal}/trust', at(device, signal))),
  })
export const useRecipe = (device: string, signal: string) =>
  useQuery({
    queryKey: keyOf('recipe', device, signal),
    queryFn: () => take(api.GET('/api/v1/signals/{device}/{signal}/recipe', at(device, signal))),
  })
export const useRecipeKinds = () =>
  useQuery({
    queryKey: keyOf('recipe-kinds'),
    queryFn: () => take(api.GET('/api/v1/recipe-kinds')),
    staleTime: Infinity,
  })
/** What is still to be computed anew of a signal; asked for until all is. */
export const useWork = (device: string, signal: string) =>
  useQuery({
    queryKey: keyOf('work', device, signal),
    queryFn: () => take(api.GET('/api/v1/signals/{device}/{signal}/work', at(device, signal))),
    refetchInterval: (query) => (query.state.data?.left ? 500 : false),
  })

export const useSignals = () =>
  useQuery({ queryKey: keyOf('signals'), queryFn: () => signals.list(() => take(api.GET('/api/v1/signals'))) })
const sparks = {
  queryKey: keyOf('sparks'),
  queryFn: () => take(api.GET('/api/v1/sparks', { params: { query: { columns: 120 } } })),
  refetchInterval: 5 * 60_000,
}
/** One signal; a page that shows it is drawn anew when it changes, and not when another does. */
export const useSignal = (path: string) =>
  useQuery({
    queryKey: keyOf('signals'),
    queryFn: () => signals.list(() => take(api.GET('/api/v1/signals'))),
    select: (all) => all.find((s) => pathOf(s) === path),
  }).data
/** Several signals, in the order of their paths; those that are not there are left out. */
export const useSignalsOf = (paths: string[]) =>
  useQuery({
    queryKey: keyOf('signals'),
    queryFn: () => signals.list(() => take(api.GET('/api/v1/signals'))),
    select: (all) => paths.flatMap((path) => all.find((s) => pathOf(s) === path) ?? []),
  }).data
/** What is known of a signal, without what it reads at the moment. */
export type Facts = Pick<
  Signal,
  'id' | 'device' | 'device_title' | 'name' | 'title' | 'unit' | 'kind' | 'bands' | 'step' | 'span_low' | 'span_high'
>
const factsOf = (s: Signal): Facts => {
  const { id, device, device_title, name, title, unit, kind, bands, step, span_low, span_high } = s
  return { id, device, device_title, name, title, unit, kind, bands, step, span_low, span_high }
}
/** Facts of several signals; they stay the same while values change. */
export const useFactsOf = (paths: string[]) =>
  useQuery({
    queryKey: keyOf('signals'),
    queryFn: () => signals.list(() => take(api.GET('/api/v1/signals'))),
    select: (all) => paths.flatMap((path) => all.filter((s) => pathOf(s) === path).map(factsOf)),
  }).data
export const useSpark = (path: string) =>
  useQuery({ ...sparks, select: (all) => all?.find((s) => s.signal === path) }).data
export const useSparks = () => useQuery(sparks)
export const signals = new LiveList<Signal>('signals', (a, b) => a.device.localeCompare(b.device) || a.id - b.id)

/** Puts signals as they are now into what is shown. */
export const takeSignals = (changed: Signal[]) => signals.tell(changed)
