import { memo, Suspense } from 'react'
import styled from 'styled-components'
import type { Placed } from '../api/board'
import { kinds } from './kinds'
import { Soft } from '../ui/basics'

/** Where there is less room than this, boards become one column, in reading order. */
export const narrow = 640
export const rowHeight = 44
export const gap = 12
export const columns = 12
export const heightOf = (rows: number) => rows * rowHeight + (rows - 1) * gap

const Room = styled.div`
  container-type: inline-size;
`
const Sheet = styled.div`
  display: grid;
  grid-template-columns: repeat(${columns}, minmax(0, 1fr));
  grid-auto-rows: ${rowHeight}px;
  gap: ${gap}px;
  @container (max-width: ${narrow}px) {
    display: flex;
    flex-direction: column;
  }
`
const Cell = styled.div<{ $tile: Placed }>`
  grid-column: ${(p) => p.$tile.x + 1} / span ${(p) => p.$tile.w};
  grid-row: ${(p) => p.$tile.y + 1} / span ${(p) => p.$tile.h};
  min-width: 0;
  min-height: 0;
  break-inside: avoid;
  @container (max-width: ${narrow}px) {
    height: ${(p) => heightOf(p.$tile.h)}px;
    ${(p) => p.$tile.kind === 'mimic' && 'height: 400px;'}
  }
`

/** Tiles on their grid; on a phone below each other. */
export const Grid = ({ tiles }: { tiles: Placed[] }) => (
  <Room>
    <Sheet data-grid>
      {tiles.map((t) => (
        <Cell key={t.id} $tile={t}>
          <TileView tile={t} />
        </Cell>
      ))}
    </Sheet>
  </Room>
)

/** One tile; its code is loaded when it is first needed. */
export const TileView = memo(function TileView({ tile }: { tile: Placed }) {
  const Draws = kinds[tile.kind].draws
  return (
    <Suspense fallback={<Soft>…</Soft>}>
      <Draws tile={tile} />
    </Suspense>
  )
})
