import { QueryClient, useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { api, type Alarm, Problem, take } from './client'

export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      retry: (count, error) => count < 3 && !(error instanceof Problem && error.status < 500),
      refetchOnWindowFocus: false,
    },
  },
})

export const useSession = () =>
  useQuery({
    queryKey: ['session'],
    queryFn: () => take(api.GET('/api/v1/session')),
    staleTime: Infinity,
    retry: false,
  })
export const useSite = () =>
  useQuery({ queryKey: ['site'], queryFn: () => take(api.GET('/api/v1/site')), staleTime: Infinity })
export const useSignals = () => useQuery({ queryKey: ['signals'], queryFn: () => take(api.GET('/api/v1/signals')) })
export const useSparks = () =>
  useQuery({
    queryKey: ['sparks'],
    queryFn: () => take(api.GET('/api/v1/sparks', { params: { query: { columns: 120 } } })),
    refetchInterval: 5 * 60_000,
  })
export const useGuards = () => useQuery({ queryKey: ['guards'], queryFn: () => take(api.GET('/api/v1/guards')) })

/** The newest alarms, standing or over; the live stream keeps them new. */
export const useAlarms = () =>
  useQuery({
    queryKey: ['alarms'],
    queryFn: () => take(api.GET('/api/v1/alarms', { params: { query: { all: true, limit: 200 } } })),
  })

/** Standing alarms, however many newer ones are over. */
export const useStanding = () =>
  useQuery({
    queryKey: ['standing'],
    queryFn: () => take(api.GET('/api/v1/alarms', { params: { query: { limit: 1000 } } })),
  })

export const useAlarm = (id: number) =>
  useQuery({
    queryKey: ['alarm', id],
    queryFn: () => take(api.GET('/api/v1/alarms/{id}', { params: { path: { id } } })),
    // How far it went and who was told move on without a change of the alarm itself.
    refetchInterval: (query) => (query.state.data?.state === 'raised' ? 10_000 : false),
  })

export function useAcknowledge() {
  const client = useQueryClient()
  return useMutation({
    mutationFn: (id: number) => take(api.POST('/api/v1/alarms/{id}/acknowledge', { params: { path: { id } } })),
    onSuccess: (alarm) => takeAlarms(client, [alarm]),
  })
}

/** Puts alarms as they are now into what is shown. */
export function takeAlarms(client: QueryClient, changed: Alarm[]) {
  if (changed.length === 0) return
  const merge = (keep: (a: Alarm) => boolean) => (old: Alarm[] | null | undefined) => {
    if (!old) return old
    const byID = new Map(old.map((a) => [a.id, a]))
    for (const a of changed) byID.set(a.id, a)
    return [...byID.values()].filter(keep).sort((a, b) => b.id - a.id)
  }
  client.setQueryData<Alarm[] | null>(
    ['alarms'],
    merge(() => true),
  )
  client.setQueryData<Alarm[] | null>(
    ['standing'],
    merge((a) => a.state === 'raised'),
  )
  for (const a of changed) void client.invalidateQueries({ queryKey: ['alarm', a.id] })
}
