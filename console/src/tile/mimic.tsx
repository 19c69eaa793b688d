import { type ReactNode, useState } from 'react'
import { Link } from 'react-router'
import styled from 'styled-components'
import { pictureAt } from '../api/board'
import type { Pin } from '../api/client'
import { TileBox } from './box'
import { type TileProps, useSight } from './context'
import { PinFace, pinLink } from './pin'
import { useSize } from '../ui/size'

const Room = styled.div`
  width: 100%;
  height: 100%;
  display: grid;
  place-content: safe center;
  overflow: auto;
`
/** Narrower than this, what is pinned to a picture would lie over itself; it is scrolled instead. */
const least = 620
const Sheet = styled.div`
  position: relative;
  img {
    display: block;
    width: 100%;
    height: 100%;
  }
`
const Place = styled.span`
  position: absolute;
  z-index: 1;
`
const PinLink = styled(Link)`
  color: inherit;
  text-decoration: none;
  display: inline-block;
  min-height: 24px;
  min-width: 24px;
  &:hover > span {
    border-color: var(--accent);
  }
`

/** A pin stands on its point by its middle; near the sides it is drawn in, so that nothing of it is cut off. */
export function placeOf({ x, y }: Pin) {
  const inward = x < 0.1 ? 5 * x : x > 0.9 ? 0.5 + 5 * (x - 0.9) : 0.5
  return { left: `${100 * x}%`, top: `${100 * y}%`, transform: `translate(${-100 * inward}%, -50%)` }
}

/** A picture that fills its room as far as its shape allows, and what lies on it. */
export function PictureSheet({ picture, alt, children }: { picture: number; alt: string; children: ReactNode }) {
  const [room, size] = useSize<HTMLDivElement>()
  const [shape, setShape] = useState(16 / 10)
  const fits = Math.min(size.width, size.height * shape)
  const width = fits > 0 && fits < least ? Math.min(least, Math.max(fits, size.height * shape)) : fits
  const scrolls = width > size.width + 1
  return (
    <Room
      ref={room}
      {...(scrolls ? { tabIndex: 0, role: 'group', 'aria-label': `${alt || 'Picture'}: all of it` } : {})}
    >
      <Sheet style={{ width, height: width / shape }} data-sheet>
        <img
          src={pictureAt(picture)}
          alt={alt}
          onLoad={(e) => setShape(e.currentTarget.naturalWidth / e.currentTarget.naturalHeight || 16 / 10)}
        />
        {width > 0 && children}
      </Sheet>
    </Room>
  )
}

/** A picture with values, lamps, bars, labels and boards pinned to it. */
export function MimicTile({ tile }: TileProps) {
  const { still } = useSight()
  return (
    <TileBox tile={tile}>
      <PictureSheet picture={tile.picture ?? 0} alt={tile.title || 'Picture'}>
        {(tile.pins ?? []).map((pin, i) => (
          <PinAt key={i} pin={pin} still={still} />
        ))}
      </PictureSheet>
    </TileBox>
  )
}

function PinAt({ pin, still }: { pin: Pin; still: boolean }) {
  const to = pinLink(pin)
  return (
    <Place style={placeOf(pin)}>
      {to && !still ? (
        <PinLink to={to}>
          <PinFace pin={pin} />
        </PinLink>
      ) : (
        <PinFace pin={pin} />
      )}
    </Place>
  )
}
