import { Noted } from '../ui/markdown'
import { TileBox } from './box'
import type { TileProps } from './context'

/** Words: Markdown, in which HTML is text. */
export default function NoteTile({ tile }: TileProps) {
  return (
    <TileBox tile={tile} scrolls>
      <Noted text={tile.text ?? ''} />
    </TileBox>
  )
}
