import { type ComponentType, lazy } from 'react'
import type { Kind } from '../api/board'
import type { Signal } from '../api/client'
import { BarTile } from './bar'
import type { TileProps } from './context'
import { DialTile } from './dial'
import { JournalTile } from './journal'
import { MimicTile } from './mimic'
import { SwitchTile } from './switch'
import { TableTile } from './table'
import { TotalTile } from './total'
import { ValueTile } from './value'

export type KindOf = {
  name: string // what people call it
  says: string // what it is good for
  draws: ComponentType<TileProps>
  size: [w: number, h: number] // that a new one gets
  least: [w: number, h: number]
  most: number // signals; 0: it shows something else
}

/** Every kind of tile. Sizes are those of the service, which checks them. */
export const kinds: Record<Kind, KindOf> = {
  value: {
    name: 'Value',
    says: 'one number with its last day',
    draws: ValueTile,
    size: [3, 3],
    least: [2, 2],
    most: 1,
  },
  bar: { name: 'Bar', says: 'values on their scales', draws: BarTile, size: [4, 3], least: [2, 2], most: 8 },
  dial: {
    name: 'Dial',
    says: 'a value on an arc with its bands',
    draws: DialTile,
    size: [3, 4],
    least: [2, 3],
    most: 1,
  },
  lines: {
    name: 'Lines',
    says: 'values over time',
    draws: lazy(() => import('./lines')),
    size: [8, 6],
    least: [3, 4],
    most: 12,
  },
  states: {
    name: 'States',
    says: 'off and on, or bands, over time',
    draws: lazy(() => import('./states')),
    size: [8, 4],
    least: [3, 2],
    most: 20,
  },
  spread: {
    name: 'Spread',
    says: 'how often each value came',
    draws: lazy(() => import('./spread')),
    size: [4, 5],
    least: [3, 4],
    most: 1,
  },
  table: { name: 'Table', says: 'values below each other', draws: TableTile, size: [4, 5], least: [2, 3], most: 20 },
  total: {
    name: 'Total',
    says: 'this period against the last',
    draws: TotalTile,
    size: [3, 4],
    least: [2, 3],
    most: 0,
  },
  journal: {
    name: 'Journal',
    says: 'what is wrong and what happened',
    draws: JournalTile,
    size: [4, 6],
    least: [3, 3],
    most: 20,
  },
  switch: {
    name: 'Outputs',
    says: 'how outputs stand, and their hand switch',
    draws: SwitchTile,
    size: [4, 3],
    least: [2, 2],
    most: 0,
  },
  frames: {
    name: 'Frames',
    says: 'the newest thermal frame of a device',
    draws: lazy(() => import('./frames')),
    size: [5, 7],
    least: [3, 4],
    most: 0,
  },
  note: {
    name: 'Note',
    says: 'words, in Markdown',
    draws: lazy(() => import('./note')),
    size: [4, 3],
    least: [2, 1],
    most: 0,
  },
  mimic: {
    name: 'Picture',
    says: 'a picture with values pinned to it',
    draws: MimicTile,
    size: [8, 9],
    least: [3, 4],
    most: 0,
  },
}

/** The kinds that can show some signals, the most fitting first. */
export function fitting(signals: Signal[]): Kind[] {
  if (!signals.length) return []
  const all = (kind: Signal['kind']) => signals.every((s) => s.kind === kind)
  const units = new Set(signals.map((s) => (s.kind === 'switch' ? '' : s.unit)))
  const drawn = signals.every((s) => s.kind === 'number' || s.kind === 'switch') && units.size <= 2
  const banded = signals.every((s) => s.bands.length > 0)
  const one = signals.length === 1
  const order: [Kind, boolean][] = [
    ['states', all('switch') || (banded && !one)],
    ['value', one && all('number') && !banded],
    ['dial', one && all('number')],
    ['lines', drawn],
    ['value', one],
    ['states', true],
    ['bar', all('number')],
    ['table', true],
    ['spread', one && all('number')],
    ['journal', true],
  ]
  const first = order.filter(([kind, fits]) => fits && signals.length <= kinds[kind].most).map(([kind]) => kind)
  return [...new Set(first)]
}
