import { useQuery } from '@tanstack/react-query'
import { keyOf } from './changes'
import { api, type Precondition, type Interlock, type Output, type OutputList, type OutputSpec, take } from './client'
import { askAnew, queries } from './queries'
import { shown } from './units'
import { age, clock, type Length } from './words'

export const useOutputs = () =>
  useQuery({ queryKey: keyOf('outputs'), queryFn: () => take(api.GET('/api/v1/outputs')) })
export const useInterlocks = () =>
  useQuery({
    queryKey: keyOf('interlocks'),
    queryFn: () => take(api.GET('/api/v1/interlocks')),
    refetchInterval: 15_000,
  })

/** Puts outputs as they are now into what is shown. */
export function takeOutputs(told: Output[]) {
  const old = queries.getQueryData<OutputList>(keyOf('outputs'))
  const known = new Map(old?.outputs.map((o) => [o.id, o]))
  // The stream tells what was a moment ago; an answer that came meanwhile may have a newer order.
  const changed = told.filter((o) => o.order_no >= (known.get(o.id)?.order_no ?? 0))
  if (!changed.length) return
  // What an interlock asks for, or that it waits to be reset, is told by the reason of its output.
  const moved = changed.some((o) => {
    const was = known.get(o.id)
    return was?.order_no !== o.order_no || was.by !== o.by || was.why !== o.why
  })
  const unlike = !old || changed.some((o) => !known.has(o.id) || (o.by === 'emergency') !== !!old.emergency)
  // An answer that is on its way may be older than this.
  if (unlike || queries.isFetching({ queryKey: keyOf('outputs') })) askAnew((q) => q.queryKey[0] === 'outputs')
  if (old) {
    const fresh = new Map(changed.map((o) => [o.id, o]))
    queries.setQueryData<OutputList>(keyOf('outputs'), {
      ...old,
      outputs: old.outputs.map((o) => fresh.get(o.id) ?? o),
    })
  }
  if (moved) void queries.invalidateQueries({ queryKey: keyOf('interlocks') })
}

export const at = (o: { device: string; name: string }) => ({
  params: { path: { device: o.device, output: o.name } },
})
export const lookAtOutput = (o: { device: string; name: string }) => api.GET('/api/v1/outputs/{device}/{output}', at(o))
export const putOutput = (path: string, body: OutputSpec, header: Precondition) => {
  const [device = '', output = ''] = path.split('/')
  return api.PUT('/api/v1/outputs/{device}/{output}', { params: { path: { device, output }, header }, body })
}
/** An interlock while it is written: its delays are as people write them. */
export type Lock = Omit<Interlock, 'on_delay' | 'off_delay'> & { on_delay?: Length; off_delay?: Length }

export const lookAtInterlock = (interlock: string) =>
  api.GET('/api/v1/interlocks/{interlock}', { params: { path: { interlock } } })
export const putInterlock = (i: Lock, header: Precondition) =>
  api.PUT('/api/v1/interlocks/{interlock}', { params: { path: { interlock: i.name }, header }, body: writable(i) })

/** What can be said of an interlock, without how it stands. */
export function writable(i: Lock): Lock {
  const { name, output, alarm, signal, when, deadband, on_delay, off_delay, bands, hours, formula, of, safety, latch } =
    i
  const said = { name, output, alarm, signal, when, deadband, on_delay, off_delay, bands, hours, formula, of }
  return { ...said, set: i.set, safety, latch } as Lock
}

export const colours: Record<string, string> = {
  '#000000': 'off',
  '#ff0000': 'red',
  '#ff8000': 'orange',
  '#ffff00': 'yellow',
  '#00ff00': 'green',
  '#0000ff': 'blue',
  '#8000ff': 'violet',
  '#ffffff': 'white',
  '#808080': 'grey',
}

/** A state of an output for people. */
export function stateWords(o: Output, value = '') {
  switch (o.kind) {
    case 'level':
      return `${value} ${o.unit ? shown(o.unit) : o.high ? '' : '%'}`.trim()
    case 'colour':
      return colours[value] ?? value
    case 'text':
      return value ? `“${value}”` : 'no text'
    default:
      return value
  }
}

/** That an output comes into a state: "goes on", "goes to 40 %", "turns red". */
export function goesWords(o: Output, value: string) {
  const verb = { switch: 'goes', level: 'goes to', colour: 'turns', text: 'shows' }[o.kind]
  return `${verb} ${stateWords(o, value)}`
}

export const titleOf = (o: { name: string; title?: string }) => o.title || capital(o.name.replace(/-/g, ' '))
export const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)
export const restOf = (o: Output) => o.rest || o.safe || ''

/** What the device says of it: in words, and whether that is not as it should be. */
export function confirmation(o: Output, now: number): { words: string; wrong: boolean } {
  if (o.mute) return { words: 'its device cannot confirm', wrong: false }
  if (o.confirmed == null) return { words: 'not confirmed yet', wrong: o.alarm_id != null }
  if (!o.differs_since) return { words: `confirmed ${age(o.confirmed_at, now)}`, wrong: false }
  if (o.confirmed !== o.ordered) return { words: `says ${stateWords(o, o.confirmed)}`, wrong: true }
  return { words: `not confirmed for ${age(o.confirmed_at, now).replace(' ago', '')}`, wrong: true }
}

/** Why it is as it is, since when and by what, in one sentence. */
export function becauseWords(o: Output, zone: string) {
  const since = clock(o.ordered_at, zone, { hour: '2-digit', minute: '2-digit', second: '2-digit' })
  const by = o.interlock ? ` (interlock ${o.interlock})` : ''
  return `${capital(stateWords(o, o.ordered))} since ${since}: ${o.why}${by}.`
}
