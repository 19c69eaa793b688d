import type { Alarm, Device, DeviceStory, Doubt, Guard, Signal } from './client'
import { secondsOf, see, seen, seenStep, seenUnit, shown, written } from './units'

export { see, seenStep, shown }

const plain = new Intl.NumberFormat('en-GB', { maximumFractionDigits: 12, useGrouping: false })

/** A value for people: six significant digits at most. */
export function figure(value: number) {
  const short = Number(value.toPrecision(6))
  return Math.abs(short) < 1e12 && (Math.abs(short) >= 1e-6 || short === 0) ? plain.format(short) : String(short)
}

export function reads(s: Signal) {
  if (s.value == null) return '–'
  if (s.text != null) return s.text.length > 24 ? `${s.text.slice(0, 23)}…` : s.text
  if (s.kind === 'switch') return stateName(s, s.value)
  return valueParts(s.value, s.unit, s.step)[0]
}

/** The unit behind what a signal reads; empty where the figure says it, as lengths of time do. */
export const readsIn = (s: Signal) =>
  s.value == null || s.text != null || s.kind === 'switch' ? shown(s.unit) : valueParts(s.value, s.unit, s.step)[1]

/** What is read, as people read it: its figure and its unit. It is no finer than the step of its instrument; where none is known (0)
 *  it has five significant digits. An energy without a step is told in the unit in which it is read best, and a time from a minute
 *  on as a length. */
export const valueParts = (value: number, unit: string, step = 0) =>
  valuePartsIn(seen(value, unit), seenUnit(unit), seenStep(step, unit))

/** The same of a value, and a step, that are in the unit already. */
export function valuePartsIn(value: number, unit: string, step = 0): [string, string] {
  const length = spelled(value, unit)
  if (length) return [length, '']
  if (step > 0) return [stepped(value, step), written(unit)]
  if (unit in energies) return scaled(value, unit, unit)
  return [figure(Number(value.toPrecision(5))), written(unit)]
}

/** What is read with its unit, in words. */
export const say = (value: number, unit: string, step = 0) => valueParts(value, unit, step).filter(Boolean).join(' ')
export const sayIn = (value: number, unit: string, step = 0) =>
  valuePartsIn(value, unit, step).filter(Boolean).join(' ')

/** A time as a length: of seconds from a minute on, of what is measured in more from a second on; empty for all else. */
function spelled(value: number, unit: string) {
  const seconds = secondsOf(Math.abs(value), unit)
  if (seconds === undefined || seconds < (unit === 's' || unit === 'ms' ? 60 : 1)) return ''
  return `${value < 0 ? '-' : ''}${length(seconds * 1000)}`
}

/** A value no finer than the step of its instrument, with as many decimal places as that has; a half goes away from 0. */
export function stepped(value: number, step: number) {
  const decimals = step.toFixed(12).replace(/0+$/, '').split('.')[1]!
  return (Math.sign(value) * Math.round(Math.abs(value) / step) * step).toFixed(decimals.length)
}

/** The band that a value of a signal lies in. */
export const bandOf = (s: Pick<Signal, 'bands'>, value: number) =>
  s.bands.find((b) => (b.from == null || value >= b.from) && (b.to == null || value < b.to))

/** The word of the band that a number lies in; empty where it has none. */
export const bandWord = (s: Signal) => (s.kind === 'number' && s.value != null ? (bandOf(s, s.value)?.name ?? '') : '')

/** What stands behind a figure: its unit, and the word of the band that it lies in. */
export const unitWord = (s: Signal) => [readsIn(s), bandWord(s)].filter(Boolean).join(' · ')

/** What a signal reads, with its unit and the word of its band. */
export const readsAs = (s: Signal) =>
  [[reads(s), readsIn(s)].filter(Boolean).join(' '), bandWord(s)].filter(Boolean).join(', ')

type Stretch = { from?: number; to?: number }
/** Bands as they are drawn: where some overlap, the first has the place. */
export function placesOf<B extends Stretch>(bands: B[]): B[] {
  const out: B[] = []
  for (const band of bands) {
    let left: Stretch[] = [{ from: band.from, to: band.to }]
    for (const before of out)
      left = left.flatMap((s) => {
        const low = Math.max(s.from ?? -Infinity, before.from ?? -Infinity)
        const high = Math.min(s.to ?? Infinity, before.to ?? Infinity)
        if (low >= high) return [s]
        return [
          { from: s.from, to: before.from },
          { from: before.to, to: s.to },
        ].filter(
          (r, i) => (i === 0 ? before.from != null : before.to != null) && (r.from ?? -Infinity) < (r.to ?? Infinity),
        )
      })
    out.push(...left.map((s) => ({ ...band, ...s })))
  }
  return out
}

/** What a signal that is off or on is called then. */
export const stateName = (s: Pick<Signal, 'bands'>, value: number) => bandOf(s, value)?.name ?? (value ? 'on' : 'off')

const unusable = ['implausible', 'warming', 'stuck', 'drill']
/** Why the newest reading of a signal is of no use; empty when it is. */
export const doubt = (s: Signal) => s.quality.filter((mark) => unusable.includes(mark)).join(', ')

/** A value that somebody gave, as a limit, as it is seen, with the unit: it loses no digit. */
export const amount = (value: number, unit: string) => `${figure(seen(value, unit))} ${shown(unit)}`.trim()

/** A test of a guard as it is seen. */
export const testWords = (when: string, unit: string) =>
  `${when.replace(/-?\d+(\.\d+)?/g, (n) => figure(seen(Number(n), unit)))} ${shown(unit)}`.trim()

const small = ['No', 'One', 'Two', 'Three', 'Four', 'Five', 'Six', 'Seven', 'Eight', 'Nine', 'Ten', 'Eleven', 'Twelve']
export const count = (n: number) => small[n] ?? String(n)

/** How long, in its largest two parts: "4 min", "1 h 5 min". */
export function length(ms: number) {
  let s = Math.max(0, Math.round(ms / 1000))
  const said: string[] = []
  for (const [size, name] of [
    [86400, 'd'],
    [3600, 'h'],
    [60, 'min'],
    [1, 's'],
  ] as const) {
    const n = Math.floor(s / size)
    s -= n * size
    if (n > 0) said.push(`${n} ${name}`)
    else if (said.length > 0) break
    if (said.length === 2) break
  }
  return said.join(' ') || '0 s'
}

/** How many of a thing there are: "1 alarm", "12 alarms". */
export const counted = (n: number, one: string, many: string) => `${n} ${Math.abs(n) === 1 ? one : many}`

const energies = { mWh: 1e-6, Wh: 1e-3, kWh: 1, MWh: 1e3 } as const
/** What adds up, as energy or a volume, in the unit in which it is read best: "345 kWh", "12.3 mWh". */
export const sized = (value: number, unit: string, sign = shown(unit)) =>
  scaled(value, unit, sign).filter(Boolean).join(' ')

function scaled(value: number, unit: string, sign: string): [string, string] {
  let [v, u] = [value, sign]
  if (value !== 0 && unit in energies)
    for (const [name, size] of Object.entries(energies)) {
      const here = (value * energies[unit as keyof typeof energies]) / size
      if (name === 'mWh' || Math.abs(here) >= 1) [v, u] = [here, name]
    }
  const size = Math.abs(v)
  const places =
    size >= 99.95 || size === 0
      ? 0
      : size >= 9.995
        ? 1
        : size >= 0.9995
          ? 2
          : Math.min(2 - Math.floor(Math.log10(size)), 9)
  return [v.toFixed(places), u]
}

const parts: Record<string, string> = { d: 'd', h: 'h', m: 'min', s: 's', ms: 'ms' }

/** A length of time: seconds, as the service tells it, or as people write it, like 1h30m. */
export type Length = number | string

/** A length of time as people write it: 5400 is 1h30m. */
export function inWords(duration: Length | undefined): string {
  if (typeof duration !== 'number') return duration ?? ''
  if (duration === 0) return '0s'
  let text = ''
  let rest = duration
  for (const [unit, size] of Object.entries({ d: 86400, h: 3600, m: 60 })) {
    const n = Math.floor(rest / size)
    if (n > 0) text += `${n}${unit}`
    rest -= n * size
  }
  if (rest > 0) text += rest < 1 && !text ? `${Math.round(rest * 1000)}ms` : `${Number(rest.toFixed(3))}s`
  return text
}

/** A length of time like 1h47m7s as people read it: "1 h 47 min 7 s". */
export const spoken = (duration: Length) =>
  inWords(duration)
    .replace(/([\d.]+)(ms|d|h|m|s)/g, (_, n: string, unit: string) => `${Math.round(Number(n))} ${parts[unit]} `)
    .trim()

const unitSeconds: Record<string, number> = { d: 86400, h: 3600, m: 60, s: 1, ms: 0.001 }
/** A length of time like 1h30m, in milliseconds. */
export const lengthOf = (text: Length) =>
  1000 *
  [...inWords(text).matchAll(/(\d+(?:\.\d+)?)(ms|d|h|m|s)/g)].reduce(
    (sum, [, n, u]) => sum + Number(n) * unitSeconds[u!]!,
    0,
  )

/** A number of bytes as people read it, in thousands. */
export function bytes(n: number) {
  const names = ['B', 'kB', 'MB', 'GB', 'TB']
  let i = 0
  for (; n >= 999.5 && i < names.length - 1; i++) n /= 1000
  return `${n < 9.95 && i > 0 ? n.toFixed(1) : Math.round(n)} ${names[i]}`
}

/** A count of things, in groups of three digits. */
export const many = (n: number) => n.toLocaleString('en-GB')

export const age = (at: string | null, now: number) => {
  if (!at) return 'never'
  const ms = now - Date.parse(at)
  return ms < 1500 ? 'now' : `${length(ms)} ago`
}

export const clock = (
  at: string | number,
  zone: string,
  options: Intl.DateTimeFormatOptions = { hour: '2-digit', minute: '2-digit' },
) => formatOf(zone, options).format(new Date(at))

/** Making a format takes far longer than using it. */
const formats = new Map<string, Intl.DateTimeFormat>()
function formatOf(zone: string, options: Intl.DateTimeFormatOptions) {
  const key = zone + JSON.stringify(options)
  let format = formats.get(key)
  if (!format) formats.set(key, (format = new Intl.DateTimeFormat('en-GB', { timeZone: zone, ...options })))
  return format
}

/** The limits in a test like "above 30" or "outside 3..9". */
export function limitsOf(when: string): number[] {
  const text = when.replace(/^(above|at least|below|at most|outside|inside)/, '')
  return text === when ? [] : text.split('..').map(Number)
}

export const limitsFor = (guards: Guard[] | null | undefined, path: string) =>
  (guards ?? [])
    .filter((g) => g.signal === path)
    .flatMap((g) => [g, ...(g.rungs ?? [])])
    .flatMap((r) => limitsOf(r.when).map((limit) => ({ limit, severity: r.severity ?? 'warning' })))

/** A signal with its device, as it reads in a sentence: "Fern house air temperature". */
export const fullTitle = (s: Pick<Signal, 'title' | 'device_title'>) =>
  `${s.device_title} ${/^[A-Z][a-z]/.test(s.title) ? s.title.charAt(0).toLowerCase() + s.title.slice(1) : s.title}`

/** How much earlier, as people say it. */
export const earlier = (ms: number) =>
  ({ 86_400_000: 'the day before', 604_800_000: 'the week before' })[ms] ??
  `${length(ms).replace(/ 0 (h|min)$/, '')} before`

const runNames = ['running', 'runs', 'run', 'on', 'on off', 'state', 'status', 'power', 'active']
/** The newest run of what goes on and off: "ran 4 s, 7 h ago; 56 times today". Empty: it has not run. */
export function ranWords(s: Signal, now: number, zone: string) {
  if (!s.ran_from || s.kind !== 'switch') return ''
  const word = bandOf(s, 1)?.name
  const itself = !word && runNames.includes(s.title.toLowerCase())
  const day = new Intl.DateTimeFormat('sv', { timeZone: zone }).format(now) // as ISO 8601 writes it
  const today = day === s.ran_on ? `${s.ran_times} ${s.ran_times === 1 ? 'time' : 'times'} today` : 'not today'
  const from = Date.parse(s.ran_from)
  if (!s.ran_until) return `${itself ? 'has run' : `has been ${word ?? 'on'}`} for ${length(now - from)}; ${today}`
  const until = Date.parse(s.ran_until)
  return `${itself ? 'ran' : `was ${word ?? 'on'} for`} ${length(until - from)}, ${length(now - until)} ago; ${today}`
}

/** How an alarm ended, as a state. */
export const ending = (a: Alarm) =>
  (
    ({ unwatched: 'no longer watched', changed: 'no longer an alarm', disproved: 'withdrawn' }) as Record<
      string,
      string
    >
  )[a.ending] ?? 'over'

/** What is wrong, or was; a figure and its unit stay on one line. */
export const sentence = (a: Alarm) =>
  (a.state === 'over' && a.ending !== 'disproved'
    ? a.sentence.replace(/ is (.*?)(: .*)?$/, ' was $1')
    : a.sentence
  ).replace(/(\d) (\S+)$/, '$1\u00a0$2')

const order = { critical: 0, warning: 1, advisory: 2 }
/** Worst first, then newest. */
export const byUrgency = (a: Alarm, b: Alarm) => order[a.severity] - order[b.severity] || b.id - a.id

const clockTolerance = 60

/** How right a device's clock is. */
export function clockWords(d: Device) {
  if (d.clock_behind == null) return ''
  if (d.clock_behind > clockTolerance) return `${length(d.clock_behind * 1000)} behind`
  if (d.clock_behind < -clockTolerance) return `${length(-d.clock_behind * 1000)} ahead`
  return 'right'
}

/** How a device lives, in a few words. */
export function lifeWords(d: Device, now: number) {
  switch (d.life) {
    case 'new':
      return 'nothing came yet'
    case 'silent':
      return `silent, heard ${age(d.heard_at, now)}`
    case 'overdue':
      return `overdue, heard ${age(d.heard_at, now)}`
    default:
      return `heard ${age(d.heard_at, now)}`
  }
}

/** What is wrong with what a device sends, as far as can be told, in sentences. */
export function troubles(d: DeviceStory, now: number): string[] {
  const out: string[] = []
  if (d.refused_at && (!d.heard_at || d.refused_at > d.heard_at || now - Date.parse(d.refused_at) < 60_000))
    out.push(`Something was refused ${age(d.refused_at, now)}: ${d.refused}.`)
  for (const k of d.knocks.slice(0, 3))
    if (!d.heard_at || k.at > d.heard_at)
      out.push(
        `A key that nobody has came over ${k.protocol}${k.address ? ` from ${k.address}` : ''}${k.name ? ` as “${k.name}”` : ''}, ${age(k.at, now)}.`,
      )
  const clock = clockWords(d)
  if (clock && clock !== 'right')
    out.push(
      `Its newest reading is ${clock} our clock. If it is not catching up, its clock is wrong: set it, or correct it here.`,
    )
  return out
}

/** What was ordered, in words. */
export function settingsWords(s: Device['settings']) {
  const parts: string[] = []
  if (s.interval) parts.push(`every ${inWords(s.interval)}`)
  if (s.sparing_interval) parts.push(`every ${inWords(s.sparing_interval)} when the battery is low`)
  for (const [key, value] of Object.entries(s.values ?? {})) parts.push(`${key} ${value}`)
  return parts.join(', ') || 'nothing'
}

const toldDoubts = 3

/** When readings were of no use, and why, the newest few stretches. */
export function doubtWords(doubts: Doubt[], zone: string) {
  const some = doubts
    .slice(-toldDoubts)
    .reverse()
    .map((d) => {
      const day: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }
      const lasted = length(Date.parse(d.until) - Date.parse(d.from))
      return `${d.quality.join(' and ')} for ${lasted} from ${clock(d.from, zone, day)}`
    })
  const more = doubts.length - some.length
  return some.join('; ') + (more > 0 ? `; and ${more} more` : '')
}

/** A sentence with a capital at its beginning. */
export const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)
