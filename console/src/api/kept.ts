import { useSyncExternalStore } from 'react'

/** When what is shown was true, of answers that were kept on this device; 0: they came from the service. */
let at = 0
const listeners = new Set<() => void>()

export function tellKept(next: number) {
  if (next === at) return
  at = next
  listeners.forEach((tell) => tell())
}

/** Whether what is shown was kept. */
export const isKept = () => at > 0

export const useKept = () =>
  useSyncExternalStore(
    (tell) => {
      listeners.add(tell)
      return () => listeners.delete(tell)
    },
    () => at,
  )

const cacheName = 'lark-state'
// What is kept of the site: what the first places show. Readings, archives and keys are not.
const keeps = [
  /^\/api\/v1\/(session|site|units|signals|guards|sparks|outputs|interlocks|devices|arrivals|rosters|contacts|journal|totals)$/,
  /^\/api\/v1\/alarms(\/\d+)?$/,
  /^\/api\/v1\/boards(\/[a-z0-9-]+)?$/,
  /^\/api\/v1\/pictures$/,
]
const apart = 10_000 // of what is asked for often, one answer in so many milliseconds is kept
const keptAt = new Map<string, number>()
export const canKeep = 'caches' in window // an address without https has no such store

/** Keeps an answer with the time at which it was true. */
export const keep = async (url: string, body: BodyInit) => {
  const all = await caches.open(cacheName)
  const headers = { 'Content-Type': 'application/json', 'x-kept-at': String(Date.now()) }
  await all.put(url, new Response(body, { headers }))
}

/** Forgets what was kept of the site on this device. */
export function forget() {
  keptAt.clear()
  if (canKeep) void caches.delete(cacheName)
}

let ended: (() => void) | undefined
/** Says what is done when the service lets nobody in any more. */
export const onSessionEnded = (tell: () => void) => (ended = tell)

let written: ((method: string, path: string) => void) | undefined
/** Says what is done when the service has taken an act. */
export const onWritten = (tell: (method: string, path: string) => void) => (written = tell)

/** Asks the service by a request that would be an act, but only tries it: nothing is changed by it. */
export const askOnly = (request: Request) => ask(request, false)

/** Asks the service; what was kept answers when the service cannot be reached. */
export async function ask(request: Request, acts = true): Promise<Response> {
  const url = new URL(request.url)
  const keepable =
    canKeep && request.method === 'GET' && !url.searchParams.has('since') && keeps.some((k) => k.test(url.pathname))
  let answer: Response
  try {
    answer = await fetch(request)
  } catch (away) {
    const kept = keepable && (await caches.match(request.url))
    if (!kept) throw away
    tellKept(Number(kept.headers.get('x-kept-at')))
    return kept
  }
  if (answer.status === 401) {
    forget()
    // Who asks for the session itself learns it by the answer.
    if (url.pathname !== '/api/v1/session') ended?.()
  }
  if (acts && answer.ok && request.method !== 'GET') written?.(request.method, url.pathname)
  if (keepable && answer.ok && Date.now() - (keptAt.get(request.url) ?? 0) > apart) {
    keptAt.set(request.url, Date.now())
    void answer
      .clone()
      .text()
      .then((body) => keep(request.url, body))
      .catch(() => undefined) // the device has no room; then it is not kept
  }
  return answer
}
