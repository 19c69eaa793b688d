import { type KeyboardEvent, useCallback, useEffect, useRef } from 'react'
import styled from 'styled-components'
import type { FrameHead } from '../api/client'
import { frameFile, usePlaying } from '../api/frames'
import { clock } from '../api/words'
import { QuietButton, Row, Soft } from '../ui/basics'

const Film = styled.div`
  display: flex;
  gap: 4px;
  overflow-x: auto;
  padding: 4px 0 8px;
  margin-top: var(--gap-2);
`
const Shot = styled.button`
  flex: none;
  width: 88px;
  padding: 2px;
  border: 2px solid transparent;
  border-radius: var(--radius);
  background: none;
  color: inherit;
  font: inherit;
  font-size: 0.75rem;
  line-height: 1.3;
  cursor: pointer;
  img {
    display: block;
    width: 100%;
    image-rendering: pixelated;
    background: var(--sunk);
  }
  &[aria-current='true'] {
    border-color: var(--accent);
    font-weight: 620;
  }
`
type Props = {
  device: string
  frames: FrameHead[]
  all: number
  at: string // of the frame that is looked at
  onAt: (at: string) => void
  zone: string
  ratio: number // width by height
  look: Record<string, string> // palette and range, so that all have one scale
  onSeen: (first: boolean) => void // a picture is there
}

const day: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }

/** Frames through time: to step through, and to play. */
export function FrameStrip({ device, frames, all, at, onAt, zone, ratio, look, onSeen }: Props) {
  const film = useRef<HTMLDivElement>(null)
  const index = frames.findIndex((f) => f.at === at)
  const go = useCallback(
    (to: number) => {
      const f = frames[(to + frames.length) % frames.length]
      if (f) onAt(f.at)
    },
    [frames, onAt],
  )
  const step = useCallback(() => go(index + 1), [go, index])
  const [playing, setPlaying] = usePlaying(frames.length, step)
  useEffect(() => {
    const chosen = film.current?.querySelector<HTMLElement>('[aria-current=true]')
    if (chosen && film.current)
      film.current.scrollLeft = chosen.offsetLeft - film.current.offsetLeft - film.current.clientWidth / 2 + 44
  }, [at])
  const onKey = (e: KeyboardEvent) => {
    const to = { ArrowLeft: index - 1, ArrowRight: index + 1, Home: 0, End: frames.length - 1 }[e.key]
    if (to === undefined) return
    e.preventDefault()
    go(Math.min(frames.length - 1, Math.max(0, to)))
  }
  if (!frames.length) return <Soft>There are no frames in this stretch.</Soft>
  return (
    <div>
      <Row>
        <QuietButton onPress={() => go(Math.max(0, index - 1))} isDisabled={index === 0}>
          Before
        </QuietButton>
        <QuietButton onPress={() => setPlaying(!playing)} data-play>
          {playing ? 'Stop' : 'Play'}
        </QuietButton>
        <QuietButton
          onPress={() => go(Math.min(frames.length - 1, index + 1))}
          isDisabled={index === frames.length - 1}
        >
          After
        </QuietButton>
        <Soft role="status">
          {index >= 0 && `${clock(at, zone, { ...day, second: '2-digit' })} · `}
          {frames.length < all ? `${frames.length} of ${all} frames` : `${all} frames`}
        </Soft>
      </Row>
      <Film ref={film} onKeyDown={onKey} data-strip>
        {frames.map((f) => (
          <Shot key={f.at} type="button" aria-current={f.at === at} onClick={() => onAt(f.at)}>
            <img
              src={frameFile(device, f.at, 'png', { bare: 'true', width: '96', ...look })}
              alt=""
              loading={f.at === at ? 'eager' : 'lazy'}
              onLoad={() => onSeen(true)}
              onError={() => onSeen(true)}
              style={{ aspectRatio: ratio }}
            />
            {clock(f.at, zone, day)}
          </Shot>
        ))}
      </Film>
    </div>
  )
}
