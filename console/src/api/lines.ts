import { keyOf } from './changes'
import { keepPreviousData, useQueries, useQuery } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import type { Stretch, View } from '../chart/window'
import { api, type Lines, take, timed } from './client'
import { serviceNow } from './live'
import { queries } from './queries'

const tailEvery = 2000
const overlap = 10_000 // what was measured is committed a little later
const slowest = 15_000
const oldestTail = 50 * 60_000
const mostSignals = 60 // that one request may ask for
const anew = 5 * 60_000
const grown = 2500 // points that came since, after which the line is asked for again
const iso = (at: number) => new Date(at).toISOString()

/** A value that changes often, once it rests; one that had rested is followed at once. */
export function useRested<T>(value: T, wait = 140) {
  const [rested, setRested] = useState(value)
  const changed = useRef(0)
  const key = JSON.stringify(value)
  useEffect(() => {
    const now = performance.now()
    const first = now - changed.current > 3 * wait
    changed.current = now
    const timer = setTimeout(() => setRested(value), first ? 0 : wait)
    return () => clearTimeout(timer)
    // eslint-disable-next-line react-hooks/exhaustive-deps -- equal values are one value
  }, [key, wait])
  return rested
}

const ask = async (paths: string[], stretch: { since: number; until?: number }, columns: number): Promise<Lines> => {
  const told = await take(
    api.GET('/api/v1/lines', {
      params: {
        query: {
          signal: paths,
          since: iso(stretch.since),
          ...(stretch.until ? { until: iso(stretch.until) } : {}),
          columns,
        },
      },
    }),
  )
  return { ...told, lines: told.lines.map(timed) }
}

/** The lines of several signals over what is in view; at the live end they grow by what comes. `back` is how much
 *  earlier they are to be. */
export function useLines(paths: string[], view: View, columns: number, back = 0) {
  const fixed = view.fixed
  const live = !fixed && !back
  useTails(live && paths.length > 0)
  return useQuery({
    queryKey: live
      ? keyOf('lines', 'live', paths, view.span, columns)
      : keyOf('lines', 'fixed', paths, fixed?.from ?? view.span, fixed?.until ?? 0, columns, back),
    queryFn: async () => {
      if (live) {
        const now = serviceNow()
        return { ...(await ask(paths, { since: now - view.span }, columns)), until: iso(now) }
      }
      const until = fixed ? fixed.until : serviceNow()
      return ask(paths, { since: (fixed ? fixed.from : until - view.span) - back, until: until - back }, columns)
    },
    enabled: paths.length > 0,
    placeholderData: keepPreviousData,
    structuralSharing: false,
    staleTime: anew,
    gcTime: 60_000,
    refetchInterval: live || back ? anew : false,
  })
}

let charts = 0
let timer: ReturnType<typeof setInterval> | undefined
let busy = false

/** Asks for what came, for all live lines that are in sight, in one request. */
function useTails(live: boolean) {
  useEffect(() => {
    if (!live) return
    if (charts++ === 0) timer = setInterval(() => void follow(), tailEvery)
    return () => {
      if (--charts === 0) clearInterval(timer)
    }
  }, [live])
}

async function follow() {
  if (document.hidden || busy) return
  const open = queries
    .getQueryCache()
    .findAll({ queryKey: keyOf('lines', 'live'), type: 'active' })
    .filter((q) => q.state.data && q.state.fetchStatus === 'idle')
  const now = serviceNow()
  const age = (q: (typeof open)[number]) => now - Date.parse((q.state.data as Lines).until)
  for (const q of open) if (age(q) >= oldestTail) void queries.invalidateQueries({ queryKey: q.queryKey })
  // A column of a long stretch holds many readings: its end moves slowly.
  const due = open.filter((q) => {
    const [, , , span, columns] = q.queryKey as [string, string, string[], number, number]
    return age(q) < oldestTail && age(q) >= Math.min(slowest, span / columns) - tailEvery / 2
  })
  if (!due.length) return
  const paths = [...new Set(due.flatMap((q) => q.queryKey[2] as string[]))]
  const since = Math.min(...due.map((q) => Date.parse((q.state.data as Lines).until))) - overlap
  busy = true
  try {
    const parts = []
    for (let i = 0; i < paths.length; i += mostSignals)
      parts.push(
        take(
          api.GET('/api/v1/tails', {
            params: { query: { signal: paths.slice(i, i + mostSignals), since: iso(since) } },
          }),
        ),
      )
    const came = new Map((await Promise.all(parts)).flat().map((t) => [t.signal, timed(t)]))
    for (const q of due) {
      queries.setQueryData<Lines>(q.queryKey, (old) => old && grownBy(old, came, now))
      const lines = q.state.data as Lines
      if (lines.lines.some((l) => l.at.length > grown + 4 * (q.queryKey[4] as number)))
        void queries.invalidateQueries({ queryKey: q.queryKey })
    }
  } catch {
    // The live stream tells that the service is away.
  } finally {
    busy = false
  }
}

/** Lines with what came since their last points, which may overlap them. */
export function grownBy(old: Lines, came: Map<string, { at: number[]; value: number[] }>, now: number): Lines {
  let changed = false
  const lines = old.lines.map((line) => {
    const tail = came.get(line.signal)
    const last = line.at.at(-1) ?? 0
    const from = tail ? tail.at.findIndex((t) => t > last) : -1
    if (!tail || from < 0) return line
    changed = true
    const at = tail.at.slice(from)
    return {
      ...line,
      of: line.of + at.length,
      at: line.at.concat(at),
      value: line.value.concat(tail.value.slice(from)),
    }
  })
  return changed ? { ...old, until: iso(now), lines } : { ...old, until: iso(now) }
}

/** Figures by period of several signals, in the order of the paths. */
export function useFigures(paths: string[], every: string, stretch: Stretch, live: boolean) {
  return useQueries({
    queries: paths.map((path) => {
      const [device = '', signal = ''] = path.split('/')
      return {
        queryKey: keyOf('figures', path, every, live ? stretch.until - stretch.from : stretch),
        queryFn: () =>
          take(
            api.GET('/api/v1/signals/{device}/{signal}/figures', {
              params: {
                path: { device, signal },
                query: { every, since: iso(stretch.from), until: iso(stretch.until), limit: 20_000 },
              },
            }),
          ),
        placeholderData: keepPreviousData,
        staleTime: 30_000,
        refetchInterval: live ? (60_000 as const) : (false as const),
      }
    }),
  })
}

/** Notes in the journal since an instant. */
export const useNotes = (since: number) =>
  useQuery({
    queryKey: keyOf('journal', 'notes', Math.floor(since / 60_000)),
    queryFn: () =>
      take(api.GET('/api/v1/journal', { params: { query: { kind: 'note', limit: 500, since: iso(since) } } })),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  })
