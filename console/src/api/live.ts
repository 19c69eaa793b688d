import { useSyncExternalStore } from 'react'
import { takeAlarms } from './alarm'
import { type Held, keyOf } from './changes'
import type { Update } from './client'
import { tellKept } from './kept'
import { takeOutputs } from './output'
import { askAnew, queries } from './queries'
import { takeSignals } from './signal'
import { sessionEnded } from './site'

/** How the live stream is. When it is not connected, what the page shows is as old as `heard`, by the
 *  service's clock, which is `ahead` of the browser's. */
export type LiveState = { connected: boolean; lost: boolean; heard: number; ahead: number }

const silence = 12_000 // the service beats every five seconds
const retry = 2_000
const name = 'lark-live'

let state: LiveState = { connected: false, lost: false, heard: 0, ahead: 0 }
const listeners = new Set<() => void>()

function set(next: Partial<LiveState>) {
  state = { ...state, ...next }
  listeners.forEach((tell) => tell())
}

/** What is told: by the service to the tab that holds its stream, and by that tab to the others. */
type Told =
  | { what: 'change'; change: Update }
  | { what: 'beat'; now: string; away: boolean }
  | { what: 'lost' }
  | { what: 'ended' }

let source: EventSource | undefined
let watchdog: ReturnType<typeof setTimeout> | undefined
let channel: BroadcastChannel | undefined
let leads = false
let letGo: (() => void) | undefined
let waiting: AbortController | undefined
let last = -1 // number of the newest commit that this tab was told of

/** Joins the stream: one tab of a browser holds it, and tells the others. When that tab goes, another takes it over and goes
 *  on after the last commit it knows. */
export function openLive() {
  closeLive()
  watch()
  // Without locks (an address without https) each tab has a stream of its own.
  if (!('locks' in navigator) || !('BroadcastChannel' in window)) return lead()
  channel = new BroadcastChannel(name)
  channel.onmessage = (e: MessageEvent<Told | { what: 'hello' }>) => {
    if (e.data.what !== 'hello') hear(e.data)
    else if (leads && state.connected)
      tellOthers({ what: 'beat', now: new Date(serviceNow()).toISOString(), away: false })
  }
  channel.postMessage({ what: 'hello' })
  waiting = new AbortController()
  navigator.locks
    .request(name, { signal: waiting.signal }, () => {
      lead()
      return new Promise<void>((done) => (letGo = done))
    })
    .catch(() => undefined) // closed before its turn came
}

export function closeLive() {
  clearTimeout(watchdog)
  waiting?.abort()
  letGo?.()
  channel?.close()
  source?.close()
  waiting = letGo = channel = source = undefined
  leads = false
}

const tellOthers = (told: Told) => channel?.postMessage(told)

/** Holds the stream itself. */
function lead() {
  leads = true
  source = new EventSource(last < 0 ? '/api/v1/live' : `/api/v1/live?since=${last}`)
  const data = <T>(e: Event) => JSON.parse((e as MessageEvent<string>).data) as T
  source.addEventListener('beat', (e) => pass({ what: 'beat', ...data<{ now: string; away: boolean }>(e) }))
  source.addEventListener('change', (e) => pass({ what: 'change', change: data<Update>(e) }))
  source.addEventListener('ended', () => pass({ what: 'ended' }))
  source.onerror = reopen
}

function pass(told: Told) {
  hear(told)
  tellOthers(told)
}

function reopen() {
  if (!leads) return
  source?.close()
  source = undefined
  pass({ what: 'lost' })
  clearTimeout(watchdog)
  watchdog = setTimeout(() => leads && lead(), retry)
  void queries.invalidateQueries({ queryKey: keyOf('session') })
}

function watch() {
  clearTimeout(watchdog)
  watchdog = setTimeout(() => (leads ? reopen() : lose()), silence)
}

function hear(told: Told) {
  if (told.what === 'ended') return sessionEnded()
  if (told.what === 'lost' || (told.what === 'beat' && told.away)) return lose()
  // What was committed between the first look at a page and now is on no stream; nor is all that the stream does not tell.
  if (state.lost) askAnew(() => true)
  else if (!state.connected) askAnew((q) => !drawn.has(String(q.queryKey[0])))
  watch()
  tellKept(0)
  const ahead = told.what === 'beat' ? Date.parse(told.now) - Date.now() : state.ahead
  set({ connected: true, lost: false, heard: Date.now() + ahead, ahead })
  if (told.what === 'change') takeChange(told.change)
}

/** What charts ask for goes on from where it was asked for. */
const drawn = new Set(['lines', 'figures', 'spread', 'states', 'line', 'doubts'])

/** What is shown is no longer as it is. */
function lose() {
  watch()
  set({ connected: false, lost: true })
}

let config = 0
const configured: Held[] = [
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
]

function takeChange(change: Update) {
  last = change.commit
  if (config && change.config !== config)
    for (const what of configured) void queries.invalidateQueries({ queryKey: keyOf(what) })
  config = change.config
  takeSignals(change.signals)
  takeAlarms(change.alarms)
  takeOutputs(change.outputs)
  if (change.partial) {
    void queries.invalidateQueries({ queryKey: keyOf('alarms') })
    void queries.invalidateQueries({ queryKey: keyOf('standing') })
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
  if (document.hidden) return
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
