import { useSyncExternalStore } from 'react'
import type { Change } from './client'
import { takeOutputs } from './outputs'
import { queries, takeAlarms, takeSignals } from './queries'

/** How the live stream is. When it is not connected, what the page shows is as old as `heard`, by the
 *  service's clock, which is `ahead` of the browser's. */
export type LiveState = { connected: boolean; lost: boolean; heard: number; ahead: number }

const silence = 12_000 // the service beats every five seconds
const retry = 2_000

let state: LiveState = { connected: false, lost: false, heard: 0, ahead: 0 }
let source: EventSource | undefined
let watchdog: ReturnType<typeof setTimeout> | undefined
const listeners = new Set<() => void>()

function set(next: Partial<LiveState>) {
  state = { ...state, ...next }
  listeners.forEach((tell) => tell())
}

/** Opens the stream, and opens it again whenever it breaks. */
export function openLive() {
  closeLive()
  source = new EventSource('/api/v1/live')
  source.onopen = () => {
    // What was committed between the first look at a page and now is on no stream.
    if (!state.lost) catchUp()
    hear()
  }
  source.addEventListener('beat', (e) => {
    const beat = JSON.parse((e as MessageEvent<string>).data) as { now: string; away: boolean }
    if (beat.away) lose()
    else hear(Date.parse(beat.now) - Date.now())
  })
  source.addEventListener('change', (e) => {
    hear()
    takeChange(JSON.parse((e as MessageEvent<string>).data) as Change)
  })
  source.onerror = reopen
  watch()
}

export function closeLive() {
  clearTimeout(watchdog)
  source?.close()
  source = undefined
}

function hear(ahead = state.ahead) {
  if (state.lost) catchUp()
  watch()
  set({ connected: true, lost: false, heard: Date.now() + ahead, ahead })
}

/** Asks anew for all that is shown. */
const catchUp = () => void queries.invalidateQueries()

function watch() {
  clearTimeout(watchdog)
  watchdog = setTimeout(reopen, silence)
}

/** The service is heard, but has nothing true to tell: its database is away. */
function lose() {
  watch()
  set({ connected: false, lost: true })
}

function reopen() {
  if (!source) return
  lose()
  closeLive()
  watchdog = setTimeout(openLive, retry)
  source = undefined
  // A session that has ended shows the sign-in page instead.
  void queries.invalidateQueries({ queryKey: ['session'] })
}

let config = 0

function takeChange(change: Change) {
  if (config && change.config !== config)
    for (const what of [
      'site',
      'signals',
      'guards',
      'devices',
      'device',
      'arrivals',
      'kits',
      'enrolment',
      'outputs',
      'interlocks',
      'boards',
      'board',
    ])
      void queries.invalidateQueries({ queryKey: [what] })
  config = change.config
  takeSignals(change.signals)
  takeAlarms(change.alarms)
  takeOutputs(change.outputs)
  if (change.partial) {
    void queries.invalidateQueries({ queryKey: ['alarms'] })
    void queries.invalidateQueries({ queryKey: ['standing'] })
  }
}

const subscribe = (tell: () => void) => {
  listeners.add(tell)
  return () => listeners.delete(tell)
}

/** The service's clock in milliseconds. */
export const serviceNow = () => Date.now() + state.ahead

export const useLive = () => useSyncExternalStore(subscribe, () => state)

let second = Math.floor(Date.now() / 1000)
const tickers = new Set<() => void>()
setInterval(() => {
  second = Math.floor(Date.now() / 1000)
  tickers.forEach((tell) => tell())
}, 1000)

/** The service's clock in milliseconds, a new one each second. */
export function useNow() {
  const at = useSyncExternalStore(
    (tell) => {
      tickers.add(tell)
      return () => tickers.delete(tell)
    },
    () => second,
  )
  return at * 1000 + state.ahead
}
