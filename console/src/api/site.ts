import { useQuery } from '@tanstack/react-query'
import { keyOf } from './changes'
import { api, take } from './client'
import { onSessionEnded } from './kept'
import { queries } from './queries'

export const useSession = () =>
  useQuery({
    queryKey: keyOf('session'),
    queryFn: () => take(api.GET('/api/v1/session')),
    staleTime: Infinity,
    retry: false,
  })
/** Nobody is signed in any more: what was shown goes, and signing in comes. */
export function sessionEnded() {
  if (!queries.getQueryData(keyOf('session'))) return
  queries.removeQueries({ predicate: (q) => q.queryKey[0] !== 'session' })
  void queries.resetQueries({ queryKey: keyOf('session') })
}

onSessionEnded(sessionEnded)

export const useSite = () =>
  useQuery({ queryKey: keyOf('site'), queryFn: () => take(api.GET('/api/v1/site')), staleTime: Infinity })
export const useUnits = () =>
  useQuery({ queryKey: keyOf('units'), queryFn: () => take(api.GET('/api/v1/units')), staleTime: Infinity })

export const useReach = () =>
  useQuery({ queryKey: keyOf('reach'), queryFn: () => take(api.GET('/api/v1/site/reach')), refetchInterval: 30_000 })
export const usePlaceholders = () =>
  useQuery({
    queryKey: keyOf('placeholders'),
    queryFn: () => take(api.GET('/api/v1/placeholders')),
    staleTime: Infinity,
  })
