import { useSyncExternalStore } from 'react'
import { queries } from './queries'

/** When what is shown was true, of answers that were kept on this device; 0: they came from the service. */
let at = 0
const listeners = new Set<() => void>()

export function tellKept(next: number) {
  if (next === at) return
  at = next
  listeners.forEach((tell) => tell())
}

export const useKept = () =>
  useSyncExternalStore(
    (tell) => {
      listeners.add(tell)
      return () => listeners.delete(tell)
    },
    () => at,
  )

/** What the live stream keeps new, by the address that it was first asked for at. */
const streamed: Record<string, string> = {
  signals: '/api/v1/signals',
  standing: '/api/v1/alarms?limit=1000',
  alarms: '/api/v1/alarms?all=true&limit=200',
  outputs: '/api/v1/outputs',
}
const keepEvery = 60_000

const say = (what: object) => navigator.serviceWorker?.controller?.postMessage(what)

/** Hands the state as it is now to the worker, which shows it when the service cannot be reached. */
function keep() {
  const answers: Record<string, unknown> = {}
  for (const [key, path] of Object.entries(streamed)) {
    const data = queries.getQueryData([key])
    if (data && !at) answers[new URL(path, location.origin).href] = data
  }
  if (Object.keys(answers).length) say({ say: 'keep', answers })
}

/** Forgets what was kept of the site on this device. */
export const forget = () => say({ say: 'forget' })

/** Lets the console open without the service, where the browser allows that. */
export function beReadyOffline() {
  if (!('serviceWorker' in navigator)) return
  void navigator.serviceWorker
    .register('/worker.js')
    .then(() => navigator.serviceWorker.ready)
    .then((ready) => ready.active?.postMessage({ say: 'shell' }))
    .catch(() => undefined) // then it opens with the service alone
  setInterval(keep, keepEvery)
  document.addEventListener('visibilitychange', () => document.hidden && keep())
}
