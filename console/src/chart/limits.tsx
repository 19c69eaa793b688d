import { mergeProps, useKeyboard, useMove } from 'react-aria'
import { useRef } from 'react'
import styled from 'styled-components'
import { hasTwo, limitsIn, type RungDraft } from '../api/guard'
import { figure, lengthOf } from '../api/words'
import type { Scale } from './line'

const Box = styled.div`
  position: absolute;
  inset: 0;
  overflow: hidden;
  pointer-events: none;
`
const Line = styled.div<{ $tone: string }>`
  position: absolute;
  border-top: 2px solid ${(p) => p.$tone};
`
const Strip = styled.div`
  position: absolute;
  background: var(--ink);
  opacity: 0.09;
`
const Delay = styled.div<{ $tone: string }>`
  position: absolute;
  height: 6px;
  border: 1px solid ${(p) => p.$tone};
  border-top: 0;
  font-size: var(--step--1);
  color: var(--ink-soft);
  white-space: nowrap;
  line-height: 22px;
`
const Grip = styled.div<{ $tone: string }>`
  position: absolute;
  pointer-events: auto;
  touch-action: none;
  cursor: ns-resize;
  transform: translate(-100%, -50%);
  min-height: 28px;
  padding: 3px 9px;
  border-radius: var(--radius);
  background: ${(p) => p.$tone};
  color: var(--surface);
  font-weight: 620;
  white-space: nowrap;
  &:focus-visible {
    outline: 3px solid var(--accent);
    outline-offset: 2px;
  }
`
type Props = {
  rungs: RungDraft[]
  scale: Scale
  span: number // how long the chart is, in milliseconds
  unit: string
  step: number // what an arrow key moves by
  onMove: (rung: number, limit: 'a' | 'b', value: number) => void
  onDone: () => void
}

/** The limits of a guard over a chart, to be moved by mouse, touch and arrow keys; their deadbands and delays. */
export const Limits = (p: Props) => (
  <Box>
    {p.rungs.flatMap((r, i) =>
      (['a', 'b'] as const)
        .filter((which) => limitsIn({ ...r, [which === 'a' ? 'b' : 'a']: undefined }).length > 0)
        .map((which) => <OneLimit key={`${i}${which}`} {...p} rung={r} index={i} which={which} />),
    )}
  </Box>
)

/** Whether the safe side of a limit lies below it. */
function safeBelow(r: RungDraft, which: 'a' | 'b') {
  const upper = hasTwo(r.kind) && r[which] === Math.max(...limitsIn(r))
  switch (r.kind) {
    case 'above':
    case 'at least':
      return true
    case 'outside':
      return upper
    case 'inside':
      return !upper
    default:
      return false
  }
}

/** Grips stand beside each other, so that limits that are close can be told apart. */
const apart = 54
/** In a narrow chart there is no room for the words of both delays. */
const roomForBoth = 420

function OneLimit(p: Props & { rung: RungDraft; index: number; which: 'a' | 'b' }) {
  const { rung: r, scale: s, which } = p
  const held = useRef(0) // the value that is being moved to
  const perPixel = (s.peak - s.bottom) / s.height
  const place = (v: number) => Math.min(s.top + s.height, Math.max(s.top, s.top + (s.peak - v) / perPixel))
  const value = r[which]!
  const deadband = r.deadband || 0
  const tone = `var(--${r.severity})`
  const y = place(value)
  const clear = place(safeBelow(r, which) ? value - deadband : value + deadband)
  const say = (v: number) => p.onMove(p.index, which, v)
  const { moveProps } = useMove({
    onMoveStart: () => {
      held.current = value
    },
    onMove: ({ pointerType, deltaY }) => {
      const byKey = pointerType === 'keyboard'
      held.current -= deltaY * (byKey ? p.step : perPixel)
      say(byKey ? Number(held.current.toPrecision(10)) : round(held.current, perPixel))
    },
    onMoveEnd: p.onDone,
  })
  const { keyboardProps } = useKeyboard({
    onKeyDown: (e) => {
      const by = { PageUp: 10, PageDown: -10 }[e.key]
      if (!by) return e.continuePropagation()
      say(Number((value + by * p.step).toPrecision(10)))
      p.onDone()
    },
  })
  const onDelay = (s.width * lengthOf(r.on)) / p.span
  const offDelay = (s.width * lengthOf(r.off)) / p.span
  return (
    <>
      <Strip style={{ left: s.left, width: s.width, top: Math.min(y, clear), height: Math.abs(clear - y) }} />
      <Line $tone={tone} style={{ left: s.left, width: s.width, top: y - 1 }} />
      {onDelay > 0 && (
        <Delay $tone={tone} style={{ left: s.left + 8, width: Math.max(2, onDelay), top: y + 1 }}>
          &nbsp;{r.on} until it speaks
        </Delay>
      )}
      {offDelay > 0 && s.width > roomForBoth && (
        <Delay $tone={tone} style={{ left: s.left + 170, width: Math.max(2, offDelay), top: y + 1 }}>
          &nbsp;{r.off} until it is over
        </Delay>
      )}
      <Grip
        $tone={tone}
        role="slider"
        tabIndex={0}
        aria-orientation="vertical"
        aria-label={`${r.severity} limit, ${r.kind}`}
        aria-valuenow={value}
        aria-valuemin={Math.min(s.bottom, value)}
        aria-valuemax={Math.max(s.peak, value)}
        aria-valuetext={`${figure(value)} ${p.unit}`}
        style={{ left: s.left + s.width - apart * (2 * p.index + (which === 'b' ? 1 : 0)), top: y }}
        {...mergeProps(moveProps, keyboardProps)}
      >
        {figure(value)} {p.unit}
      </Grip>
    </>
  )
}

/** No finer than a pixel can tell. */
function round(v: number, perPixel: number) {
  const digits = Math.max(0, Math.min(9, Math.ceil(-Math.log10(perPixel))))
  return Number(v.toFixed(digits))
}
