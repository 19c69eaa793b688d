import { type Query, QueryClient, useMutation } from '@tanstack/react-query'
import { changedBy } from './changes'
import { Problem } from './client'
import { onWritten } from './kept'

export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      retry: (count, error) => count < 3 && !(error instanceof Problem && error.status < 500),
      refetchOnWindowFocus: false,
    },
  },
})

/** Asks anew for what an act may have changed: told by each that the service takes, and again of one that goes on behind its
 *  answer, once it has ended. */
export function acted(method: string, path: string) {
  const changed = changedBy(method, path)
  void queries.invalidateQueries({ predicate: (q) => changed(q.queryKey) })
}
onWritten(acted)

/** Does something. What it may have changed is asked for anew as soon as the service has taken it. */
export const useAct = <In = void, Out = unknown>(act: (input: In) => Promise<Out>) => useMutation({ mutationFn: act })

/** Asks for what is shown anew. An answer that is on its way for the first time may be older than the stream: the library takes it
 *  for the new one, so it is asked for once more when it has come. */
export function askAnew(predicate: (q: Query) => boolean) {
  const early = queries
    .getQueryCache()
    .findAll({ fetchStatus: 'fetching', predicate: (q) => q.state.data === undefined && predicate(q) })
  void queries.invalidateQueries({ predicate })
  for (const q of early) {
    const again = () => void queries.invalidateQueries({ queryKey: q.queryKey, exact: true })
    q.promise?.then(again, again)
  }
}
