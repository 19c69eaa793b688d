import { keyOf } from './changes'
import { canKeep, isKept, keep } from './kept'
import { queries } from './queries'

/** What the live stream keeps new, by the address that it was first asked for at. */
const streamed: Record<string, string> = {
  signals: '/api/v1/signals',
  standing: '/api/v1/alarms?limit=1000',
  alarms: '/api/v1/alarms?all=true&limit=200',
  outputs: '/api/v1/outputs',
}
const keepEvery = 60_000
const rest = 4_000 // the page that was asked for goes before all this

/** Keeps the state as it is now. */
function keepStreamed() {
  if (isKept() || !canKeep || !queries.getQueryData(keyOf('session'))) return
  for (const [key, path] of Object.entries(streamed)) {
    const data = queries.getQueryData([key])
    if (data) void keep(new URL(path, location.origin).href, JSON.stringify(data)).catch(() => undefined)
  }
}

/** Lets the console open without the service, where the browser allows that. */
export function beReadyOffline() {
  setInterval(keepStreamed, keepEvery)
  document.addEventListener('visibilitychange', () => document.hidden && keepStreamed())
  if (!('serviceWorker' in navigator)) return
  setTimeout(() => {
    void navigator.serviceWorker
      .register('/worker.js')
      .then(() => navigator.serviceWorker.ready)
      .then((ready) => ready.active?.postMessage('keep the shell'))
      .catch(() => undefined) // then it opens with the service alone
  }, rest)
}
