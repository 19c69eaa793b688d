import { useRef, useState } from 'react'
import { mergeProps, useFocusRing, useMove } from 'react-aria'
import styled from 'styled-components'
import type { Placed } from '../../api/board'
import { moved, removed, resized } from '../../tile/arrange'
import { useTitle } from '../../tile/context'
import { columns, gap, rowHeight, TileView } from '../../tile/grid'
import { kinds } from '../../tile/kinds'

const Scroll = styled.div`
  overflow-x: auto;
`
const Sheet = styled.div`
  display: grid;
  grid-template-columns: repeat(${columns}, minmax(44px, 1fr));
  grid-auto-rows: ${rowHeight}px;
  gap: ${gap}px;
  padding-bottom: 120px;
  background-image: linear-gradient(var(--line) 1px, transparent 1px);
  background-size: 100% ${rowHeight + gap}px;
  background-position: 0 -${gap / 2}px;
`
const Cell = styled.div<{ $held: boolean }>`
  position: relative;
  min-width: 0;
  z-index: ${(p) => (p.$held ? 2 : 0)};
  opacity: ${(p) => (p.$held ? 0.85 : 1)};
  box-shadow: ${(p) => (p.$held ? '0 8px 24px rgb(0 0 0 / 0.25)' : 'none')};
`
const Inert = styled.div`
  height: 100%;
  pointer-events: none;
`
const Handle = styled.button<{ $focus: boolean }>`
  position: absolute;
  inset: 0;
  background: transparent;
  border: 1px dashed var(--ink-soft);
  border-radius: var(--radius);
  cursor: grab;
  touch-action: none;
  outline: ${(p) => (p.$focus ? '3px solid var(--focus)' : 'none')};
  outline-offset: 1px;
`
const Corner = styled.button<{ $focus: boolean }>`
  position: absolute;
  right: -2px;
  bottom: -2px;
  width: 28px;
  height: 28px;
  border: 0;
  padding: 0;
  cursor: nwse-resize;
  touch-action: none;
  background: linear-gradient(135deg, transparent 52%, var(--accent) 52%);
  outline: ${(p) => (p.$focus ? '3px solid var(--focus)' : 'none')};
`
const Acts = styled.div`
  position: absolute;
  top: 4px;
  right: 4px;
  display: flex;
  gap: 4px;
  button {
    font: 600 var(--step--1) var(--face);
    color: var(--accent);
    background: var(--surface);
    border: 1px solid var(--line);
    border-radius: var(--radius);
    min-height: 28px;
    padding: 2px 9px;
    cursor: pointer;
  }
`

type Props = {
  tiles: Placed[]
  onChange: (tiles: Placed[]) => void
  onOpen: (tile: Placed) => void
  say: (words: string) => void // to those who do not see it
}

/** Tiles to be moved and resized, by mouse, touch, or arrow keys. */
export function ArrangeGrid({ tiles, onChange, onOpen, say }: Props) {
  const sheet = useRef<HTMLDivElement>(null)
  const [shown, setShown] = useState<{ tiles: Placed[]; held: string }>()
  return (
    <Scroll>
      <Sheet ref={sheet} data-arrange>
        {(shown?.tiles ?? tiles).map((t) => (
          <OneTile
            key={t.id}
            tile={t}
            tiles={tiles}
            sheet={sheet}
            held={shown?.held === t.id}
            onShow={(next, held) => setShown(next && { tiles: next, held })}
            onChange={onChange}
            onOpen={onOpen}
            say={say}
          />
        ))}
      </Sheet>
    </Scroll>
  )
}

type OneProps = Props & {
  tile: Placed
  sheet: React.RefObject<HTMLDivElement | null>
  held: boolean
  onShow: (tiles: Placed[] | undefined, held: string) => void
}

/** What a drag in pixels comes to in columns and rows, and the tiles after it. */
function useDrag(p: OneProps, act: typeof moved, words: (t: Placed) => string) {
  const by = useRef({ x: 0, y: 0, tiles: p.tiles })
  const { moveProps } = useMove({
    onMoveStart: () => (by.current = { x: 0, y: 0, tiles: p.tiles }),
    onMove: (e) => {
      const keyboard = e.pointerType === 'keyboard'
      by.current.x += e.deltaX
      by.current.y += e.deltaY
      const column = ((p.sheet.current?.clientWidth ?? 0) + gap) / columns
      const right = keyboard ? by.current.x : Math.round(by.current.x / column)
      const down = keyboard ? by.current.y : Math.round(by.current.y / (rowHeight + gap))
      by.current.tiles = act(p.tiles, p.tile.id, right, down)
      p.onShow(by.current.tiles, p.tile.id)
    },
    onMoveEnd: () => {
      p.onShow(undefined, '')
      if (by.current.tiles === p.tiles) {
        p.say('It cannot go further.')
        return
      }
      p.onChange(by.current.tiles)
      const now = by.current.tiles.find((t) => t.id === p.tile.id)
      if (now) p.say(words(now))
    },
  })
  return moveProps
}

function OneTile(p: OneProps) {
  const { tile: t } = p
  const title = useTitle(t) || kinds[t.kind].name
  const move = useDrag(p, moved, (n) => `${title}: column ${n.x + 1}, row ${n.y + 1}`)
  const size = useDrag(p, resized, (n) => `${title}: ${n.w} columns wide, ${n.h} rows high`)
  const moveRing = useFocusRing()
  const sizeRing = useFocusRing()
  const remove = () => {
    p.onChange(removed(p.tiles, t.id))
    p.say(`${title} is off the board.`)
  }
  return (
    <Cell
      $held={p.held}
      style={{ gridColumn: `${t.x + 1} / span ${t.w}`, gridRow: `${t.y + 1} / span ${t.h}` }}
      data-cell={t.id}
      data-place={`${t.x} ${t.y} ${t.w} ${t.h}`}
    >
      <Inert inert>
        <TileView tile={t} />
      </Inert>
      <Handle
        type="button"
        {...mergeProps(move, moveRing.focusProps)}
        $focus={moveRing.isFocusVisible}
        aria-label={`Move ${title}: column ${t.x + 1}, row ${t.y + 1}. Arrow keys move it.`}
        data-move={t.id}
      />
      <Acts>
        <button type="button" onClick={() => p.onOpen(t)} aria-label={`Edit ${title}`}>
          Edit
        </button>
        <button type="button" onClick={remove} aria-label={`Remove ${title}`}>
          ✕
        </button>
      </Acts>
      <Corner
        type="button"
        {...mergeProps(size, sizeRing.focusProps)}
        $focus={sizeRing.isFocusVisible}
        aria-label={`Resize ${title}: ${t.w} columns wide, ${t.h} rows high. Arrow keys resize it.`}
        data-resize={t.id}
      />
    </Cell>
  )
}
