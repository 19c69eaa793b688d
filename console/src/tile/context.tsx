import { createContext, useContext } from 'react'
import type { Placed } from '../api/board'
import { pathOf, type Series, type Signal } from '../api/client'
import { useFactsOf } from '../api/signal'
import { fullTitle, lengthOf } from '../api/words'
import type { View } from '../chart/window'

/** What the tiles of one board share. */
export type Sight = {
  view: View // what is in view, on all charts alike
  onView: (view: View) => void
  compare: number // how much earlier lines are laid under; 0: none
  zone: string
  group: string // charts of one board share their cursor
  onCursor?: (at: number | undefined) => void // where a chart's cursor is, for what is shown beside it
  still: boolean // nothing can be pressed: a board that is arranged
}

const Context = createContext<Sight | null>(null)
export const SightProvider = Context.Provider

export function useSight() {
  const sight = useContext(Context)
  if (!sight) throw new Error('A tile stands on a board.')
  return sight
}

/** What a tile shows: the board's stretch, or its own; zooming in moves both. */
export function useTileView(tile: Placed): View {
  const { view } = useSight()
  return tile.range && !view.fixed ? { span: lengthOf(tile.range) } : view
}

export type TileProps = { tile: Placed }

/** What a series is called on a tile. */
export const seriesTitle = (s: Series, signal?: Pick<Signal, 'title' | 'device_title'>, several = false) =>
  s.title || (signal ? (several ? fullTitle(signal) : signal.title) : s.signal)

/** What a tile is called. */
export function useTitle(tile: Placed): string {
  const first = useFactsOf([tile.series?.[0]?.signal ?? ''])?.[0]
  if (tile.title) return tile.title
  const series = tile.series ?? []
  if (series.length === 1 && first) return series[0]!.title || fullTitle(first)
  if (series.length > 1 && first && series.every((s) => s.signal.split('/')[0] === first.device))
    return first.device_title
  return titles[tile.kind]
}

const titles: Record<Placed['kind'], string> = {
  value: 'Value',
  bar: 'Levels',
  dial: 'Dial',
  lines: 'Lines',
  states: 'States',
  spread: 'Spread',
  table: 'Values',
  total: 'Total',
  journal: 'Journal',
  switch: 'Outputs',
  frames: 'Thermal frames',
  note: '',
  mimic: '',
}

export const signalLink = (s: Pick<Signal, 'device' | 'name'>) => `/signals/${pathOf(s)}`
