import uPlot from 'uplot'
import { seen } from '../api/units'
import { clock, figure, sayIn } from '../api/words'
import type { Doubt, SignalLine } from '../api/client'

/** One line of a chart, in the units in which it is seen. */
export type Trace = {
  key: string
  title: string
  unit: string // as it is written behind a figure
  code?: string // of the unit, where values are told by it
  step?: number // of its values; 0: not known
  tone: number // one of the eight colours
  at: number[]
  value: (number | null)[]
  low?: (number | null)[] // with high: a stretch around the line
  high?: (number | null)[]
  states?: [string, string] // of what is off or on: the names of both
  stepped?: boolean // a value holds until the next
  faint?: boolean // of an earlier time
}

/** A value of a line, with its unit, as people read it. */
export const traceSays = (t: Pick<Trace, 'code' | 'unit' | 'step'>, v: number) =>
  t.code ? sayIn(v, t.code, t.step) : `${figure(Number(v.toPrecision(5)))} ${t.unit}`.trim()

/** A line with its gaps: where nothing came for longer than readings hold, and where they are of no use. */
export function withGaps(line: SignalLine, unit: string): Pick<Trace, 'at' | 'value'> {
  const at: number[] = []
  const value: (number | null)[] = []
  // A line that was made coarser has its points up to two columns apart.
  const column = line.at.length > 1 ? (2.2 * (line.at.at(-1)! - line.at[0]!)) / line.at.length : 0
  const hold =
    line.hold > 0 ? Math.max(1000 * line.hold, line.reduced ? 2 * column : 0) : Math.max(8 * usual(line.at), 2 * column)
  line.at.forEach((t, i) => {
    const before = line.at[i - 1]
    if (before !== undefined && t - before > hold) {
      at.push(before + 1)
      value.push(null)
    }
    at.push(t)
    value.push(seen(line.value[i]!, unit))
  })
  return { at, value }
}

/** How far apart points are as a rule. */
function usual(at: number[]) {
  const steps = at.slice(1).map((t, i) => t - at[i]!)
  return steps.sort((a, b) => a - b)[Math.floor(steps.length / 2)] ?? 0
}

/** Stretches that are marked: of no use, and only to be known of. */
export function sortMarks(marked: Doubt[]) {
  const known = ['late', 'corrected', 'clock']
  return {
    doubts: marked.filter((d) => d.quality.some((q) => !known.includes(q))),
    remarks: marked.filter((d) => d.quality.every((q) => known.includes(q))),
  }
}

/** The traces as columns over one common time. */
export function columnsOf(traces: Trace[]): uPlot.AlignedData {
  const tables = traces.map(
    (t) => (t.low && t.high ? [t.at, t.value, t.low, t.high] : [t.at, t.value]) as unknown as uPlot.AlignedData,
  )
  if (tables.length === 0) return [[], []]
  return tables.length === 1 ? tables[0]! : uPlot.join(tables)
}

/** The value of a trace at an instant: its last point before, unless there is a gap. */
export function valueAt(t: Trace, at: number): number | null {
  let low = 0
  let high = t.at.length - 1
  if (high < 0 || t.at[0]! > at) return null
  while (low < high) {
    const middle = (low + high + 1) >> 1
    if (t.at[middle]! <= at) low = middle
    else high = middle - 1
  }
  return t.value[low] ?? null
}

const offsets: Intl.DateTimeFormatOptions = { timeZoneName: 'longOffset' }

/** Which instants of a stretch the clocks are changed at, and by how many minutes. */
export function clockChanges(from: number, until: number, zone: string) {
  const offset = (at: number) => {
    const [, sign, h, m] = /GMT(?:([+-])(\d+):(\d+))?/.exec(clock(at, zone, offsets)) ?? []
    return sign ? Number(`${sign}1`) * (Number(h) * 60 + Number(m)) : 0
  }
  const changes: { at: number; minutes: number }[] = []
  const day = 86_400_000
  for (let begin = from; begin < until; begin += 7 * day) {
    let [a, b] = [begin, Math.min(begin + 7 * day, until)]
    const [before, after] = [offset(a), offset(b)]
    if (before === after) continue
    while (b - a > 1000) {
      const middle = Math.floor((a + b) / 2)
      if (offset(middle) === before) a = middle
      else b = middle
    }
    changes.push({ at: Math.round(b / 1000) * 1000, minutes: after - before })
  }
  return changes
}
