import { inWords, type Length } from './words'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { keyOf } from './changes'
import {
  api,
  type Precondition,
  type Guard,
  type GuardBody,
  type Marked,
  type Occurrence,
  type ReplayLine,
  type Signal,
  type Summary,
  take,
  type Template,
} from './client'
import { ask } from './kept'
import { at } from './signal'
import { seen, seenDifference, seenUnit } from './units'

export const useGuards = () => useQuery({ queryKey: keyOf('guards'), queryFn: () => take(api.GET('/api/v1/guards')) })
export const lookAtGuard = (guard: string) => api.GET('/api/v1/guards/{guard}', { params: { path: { guard } } })
export const putGuard = (guard: string, header: Precondition, body: GuardBody) =>
  api.PUT('/api/v1/guards/{guard}', { params: { path: { guard }, header }, body })

export const useRecord = (guard: string) =>
  useQuery({
    queryKey: keyOf('record', guard),
    queryFn: () => take(api.GET('/api/v1/guards/{guard}/record', { params: { path: { guard } } })),
    enabled: guard !== '',
  })
export const useLimits = (device: string, signal: string, asked: boolean) =>
  useQuery({
    queryKey: keyOf('limits', device, signal),
    queryFn: () => take(api.GET('/api/v1/signals/{device}/{signal}/limits', at(device, signal))),
    enabled: asked,
    staleTime: 5 * 60_000,
  })
export const useTrials = () =>
  useQuery({ queryKey: keyOf('trials'), queryFn: () => take(api.GET('/api/v1/trials')), refetchInterval: 10_000 })
export const useSuggestion = (id: number, stamp: string) =>
  useQuery({
    queryKey: keyOf('trials', id, 'suggestion', stamp),
    queryFn: () => take(api.GET('/api/v1/trials/{id}/suggestion', { params: { path: { id } } })),
  })

export type Severity = 'advisory' | 'warning' | 'critical'
export type Kind =
  | 'above'
  | 'at least'
  | 'below'
  | 'at most'
  | 'outside'
  | 'inside'
  | 'is'
  | 'is not'
  | 'silent for'
  | 'stuck'
  | 'faulty'

/** One rung as it is being written: limits and deadband as the person sees them; none where nothing is written, NaN where no
 *  number is. */
export type RungDraft = {
  kind: Kind
  a: number | undefined
  b: number | undefined
  word: string // of is and is not; on and off of a switch
  deadband: number | undefined
  on: string
  off: string
  severity: Severity
}

/** A guard as it is being written. */
export type Draft = {
  name: string
  rungs: RungDraft[]
  latch: boolean
  armed: string
  suppressed: string
  tell: string
  leastGap: string
  templates: Template[]
  advice: string
}

const measured: Kind[] = ['above', 'at least', 'below', 'at most', 'outside', 'inside']
export const isMeasured = (kind: Kind) => measured.includes(kind)
/** The limits that a rung says so far. */
export const limitsIn = (r: RungDraft): number[] =>
  isMeasured(r.kind) ? (hasTwo(r.kind) ? [r.a, r.b] : [r.a]).filter(isNumber) : []
/** Whether a rung's figures are all there. */
const isWhole = (r: RungDraft) =>
  !isMeasured(r.kind) || (limitsIn(r).length === (hasTwo(r.kind) ? 2 : 1) && !Number.isNaN(r.deadband ?? 0))
const isNumber = (n: number | undefined): n is number => n !== undefined && n !== null && !Number.isNaN(n)

export const hasTwo = (kind: Kind) => kind === 'outside' || kind === 'inside'

/** What can be asked of a signal. */
export function kindsFor(signal: Signal): Kind[] {
  switch (signal.kind) {
    case 'number':
      return [...measured, 'silent for', 'stuck', 'faulty']
    case 'switch':
      return ['is', 'silent for', 'stuck', 'faulty']
    case 'text':
      return ['is', 'is not', 'silent for']
    default:
      return ['silent for']
  }
}

export function newRung(signal: Signal, limit: number): RungDraft {
  const kind = kindsFor(signal)[0]!
  return { kind, a: limit, b: limit, word: 'on', deadband: 0, on: '0s', off: '0s', severity: 'warning' }
}

/** The test of a rung as the service reads it. */
export function whenOf(r: RungDraft, signal: Signal): string {
  switch (r.kind) {
    case 'outside':
    case 'inside':
      return `${r.kind} ${Math.min(...limitsIn(r))}..${Math.max(...limitsIn(r))}`
    case 'is':
    case 'is not':
      return signal.kind === 'switch' ? `is ${r.word === 'off' ? 'off' : 'on'}` : `${r.kind} ${JSON.stringify(r.word)}`
    case 'silent for':
      return `silent for ${r.word}`
    case 'stuck':
    case 'faulty':
      return r.kind
    default:
      return `${r.kind} ${r.a}`
  }
}

type WithTest = { when: string; deadband?: number; on_delay?: Length; off_delay?: Length; severity?: Severity }

function rungOf(g: WithTest, unit: string): RungDraft {
  const eye = (v: number) => seen(v, unit)
  const rest = {
    a: 0,
    b: 0,
    word: '',
    deadband: seenDifference(g.deadband ?? 0, unit),
    on: inWords(g.on_delay ?? 0),
    off: inWords(g.off_delay ?? 0),
    severity: g.severity ?? 'warning',
  }
  for (const kind of measured) {
    if (!g.when.startsWith(`${kind} `)) continue
    const [a = 0, b = 0] = g.when.slice(kind.length).split('..').map(Number)
    return { ...rest, kind, a: eye(a), b: eye(b) }
  }
  const word = /^(is not|is|silent for) (.*)$/.exec(g.when)
  if (!word) return { ...rest, kind: g.when as Kind }
  const plain = word[2]!.startsWith('"') ? (JSON.parse(word[2]!) as string) : word[2]!
  return { ...rest, kind: word[1] as Kind, word: plain }
}

export const draftOf = (g: Guard, signal: Signal): Draft => ({
  name: g.name ?? '',
  rungs: [g, ...(g.rungs ?? [])].map((r) => rungOf(r, signal.unit)),
  latch: g.latch ?? false,
  armed: g.armed ?? '',
  suppressed: g.suppressed_while ?? '',
  tell: (g.tell ?? []).join(', '),
  leastGap: inWords(g.least_gap ?? 0),
  templates: g.templates ?? [],
  advice: g.advice ?? '',
})

/** Whether a draft says all figures that it needs. */
export const isComplete = (d: Draft) => d.rungs.every(isWhole)

/** The guard that a draft says, for the service; its limits are in the unit in which they were written. */
export function guardOf(d: Draft, signal: Signal): GuardBody {
  const rung = (r: RungDraft) => ({
    when: whenOf(r, signal),
    deadband: isMeasured(r.kind) ? (r.deadband ?? 0) : 0,
    on_delay: r.on || '0s',
    off_delay: r.off || '0s',
    severity: r.severity,
  })
  const [first, ...further] = d.rungs.map(rung)
  const unit = signal.kind === 'number' && signal.unit ? { unit: seenUnit(signal.unit) } : {}
  return {
    ...(d.name ? { name: d.name } : {}),
    signal: `${signal.device}/${signal.name}`,
    ...first!,
    rungs: further,
    latch: d.latch,
    armed: d.armed,
    suppressed_while: d.suppressed,
    ...unit,
    tell: d.tell
      .split(/[\s,;]+/)
      .map((t) => t.trim())
      .filter(Boolean),
    least_gap: d.leastGap || '0s',
    templates: d.templates,
    advice: d.advice,
  } as GuardBody
}

export type Replay = {
  running: boolean
  alarms: Occurrence[]
  at?: string | null
  summary?: Summary
  words?: string
  marked?: Marked
  error?: Error
}

const settleFor = 120
/** So many alarms are drawn and listed at most; the summary counts them all. */
const mostShown = 2000

const nothing: Replay = { running: false, alarms: [] }

/** The alarms that a guard would have raised since an instant, as they are found; asked for anew whenever it changes. Nothing
 *  is said of a guard that is not written yet. */
export function useReplay(guard: GuardBody | undefined, since: number): Replay {
  const [state, set] = useState(nothing)
  const order = guard && JSON.stringify({ guard, since: new Date(since).toISOString() })
  useEffect(() => {
    if (!order) return
    const stop = new AbortController()
    const timer = setTimeout(() => {
      set((old) => ({ ...old, running: true }))
      void follow(order, stop.signal, set)
    }, settleFor)
    return () => {
      clearTimeout(timer)
      stop.abort()
    }
  }, [order])
  return order ? state : nothing
}

async function follow(order: string, signal: AbortSignal, set: (r: Replay) => void) {
  const alarms: Occurrence[] = []
  try {
    const headers = { 'Content-Type': 'application/json' }
    const answer = await ask(new Request('/api/v1/replays', { method: 'POST', body: order, signal, headers }))
    if (!answer.ok || !answer.body) {
      const problem = (await answer.json()) as { detail?: string; errors?: { message?: string }[] }
      throw new Error(problem.errors?.[0]?.message ?? problem.detail ?? answer.statusText)
    }
    const reader = answer.body.pipeThrough(new TextDecoderStream()).getReader()
    let rest = ''
    for (;;) {
      const { done, value } = await reader.read()
      if (done) return
      const lines = (rest + value).split('\n')
      rest = lines.pop() ?? ''
      for (const text of lines) {
        const line = JSON.parse(text) as ReplayLine
        if (line.problem) throw new Error(line.problem)
        if (line.alarm && alarms.length < mostShown) alarms.push(line.alarm)
        if (line.at) set({ running: true, alarms: [...alarms], at: line.at })
        if (line.summary) set({ running: false, alarms, summary: line.summary, words: line.words, marked: line.marked })
      }
    }
  } catch (error) {
    if (!signal.aborted) set({ running: false, alarms: [], error: error as Error })
  }
}
