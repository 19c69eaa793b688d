import type { Placed } from '../api/board'
import { columns } from './grid'
import { kinds } from './kinds'

const touch = (a: Placed, b: Placed) => a.x < b.x + b.w && b.x < a.x + a.w && a.y < b.y + b.h && b.y < a.y + a.h
const clamp = (v: number, low: number, high: number) => Math.min(high, Math.max(low, v))
const inReadingOrder = (tiles: Placed[]) => [...tiles].sort((a, b) => a.y - b.y || a.x - b.x)

/** Lets one tile have its place: those that it lies over go down, and those that they then lie over. */
function settle(tiles: Placed[], first: Placed): Placed[] {
  const done = [first]
  for (const tile of inReadingOrder(tiles.filter((t) => t.id !== first.id))) {
    const next = { ...tile }
    for (let over = done.find((d) => touch(d, next)); over; over = done.find((d) => touch(d, next)))
      next.y = over.y + over.h
    done.push(next)
  }
  return inReadingOrder(closed(done))
}

/** Rows that nothing is on are taken out. */
function closed(tiles: Placed[]): Placed[] {
  const end = Math.max(0, ...tiles.map((t) => t.y + t.h))
  let empty = 0
  const up: number[] = []
  for (let row = 0; row < end; row++) {
    if (!tiles.some((t) => t.y <= row && row < t.y + t.h)) empty++
    up.push(empty)
  }
  return tiles.map((t) => ({ ...t, y: t.y - (up[t.y] ?? 0) }))
}

/** The tiles with one of them moved, by so many columns and rows. */
export function moved(tiles: Placed[], id: string, right: number, down: number): Placed[] {
  const tile = tiles.find((t) => t.id === id)
  if (!tile) return tiles
  const first = { ...tile, x: clamp(tile.x + right, 0, columns - tile.w), y: Math.max(0, tile.y + down) }
  if (first.x === tile.x && first.y === tile.y) return tiles
  return settle(first.y > tile.y ? changedPlaces(tiles, tile, first) : tiles, first)
}

/** A tile that goes down changes places with one below that fits where it was: else it would only push that one before it. */
function changedPlaces(tiles: Placed[], tile: Placed, first: Placed): Placed[] {
  const others = tiles.filter((t) => t.id !== tile.id)
  const below = others.find((t) => touch(t, first) && t.y >= tile.y + tile.h)
  const up = below && { ...below, y: tile.y }
  if (!up || others.some((t) => t.id !== up.id && touch(t, up))) return tiles
  first.y = Math.max(first.y, up.y + up.h)
  return tiles.map((t) => (t.id === up.id ? up : t))
}

/** The tiles with one of them made larger or smaller. */
export function resized(tiles: Placed[], id: string, wider: number, higher: number): Placed[] {
  const tile = tiles.find((t) => t.id === id)
  if (!tile) return tiles
  const [w, h] = kinds[tile.kind].least
  const first = { ...tile, w: clamp(tile.w + wider, w, columns - tile.x), h: Math.max(h, tile.h + higher) }
  return first.w === tile.w && first.h === tile.h ? tiles : settle(tiles, first)
}

export const removed = (tiles: Placed[], id: string) => closed(tiles.filter((t) => t.id !== id))

/** The tiles with a new one, at the first place that is free; or with one as it is now. */
export function withTile(tiles: Placed[], tile: Omit<Placed, 'x' | 'y'> & { x?: number; y?: number }): Placed[] {
  if (tiles.some((t) => t.id === tile.id)) {
    const [w, h] = kinds[tile.kind].least
    const old = tiles.find((t) => t.id === tile.id)!
    const next = {
      ...tile,
      x: Math.min(old.x, columns - Math.max(w, old.w)),
      y: old.y,
      w: Math.max(w, old.w),
      h: Math.max(h, old.h),
    }
    return settle(tiles, next)
  }
  for (let y = 0; ; y++)
    for (let x = 0; x + tile.w <= columns; x++) {
      const next = { ...tile, x, y }
      if (!tiles.some((t) => touch(t, next))) return inReadingOrder([...tiles, next])
    }
}

/** A name of its own for a new tile. */
export const freeID = (tiles: Placed[]) => {
  let n = tiles.length + 1
  while (tiles.some((t) => t.id === `t${n}`)) n++
  return `t${n}`
}
