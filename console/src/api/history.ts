import { useQuery } from '@tanstack/react-query'
import { keyOf } from './changes'
import { api, take } from './client'

export const useStorage = () =>
  useQuery({ queryKey: keyOf('storage'), queryFn: () => take(api.GET('/api/v1/storage')), refetchInterval: 15_000 })

export const useClearings = () =>
  useQuery({
    queryKey: keyOf('clearings'),
    queryFn: () => take(api.GET('/api/v1/clearings')),
    // What is carried out moves on by itself.
    refetchInterval: (query) => (query.state.data?.some((c) => c.state.endsWith('ing')) ? 1000 : false),
  })
