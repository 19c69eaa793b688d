import styled, { css, keyframes } from 'styled-components'
import { useStanding, useWorst } from '../api/alarm'
import { useBoards } from '../api/board'
import type { Alarm, Board, Pin, Signal } from '../api/client'
import { useGuards } from '../api/guard'
import { stateWords, useOutputs } from '../api/output'
import { useSignal, useSpark } from '../api/signal'
import { seen } from '../api/units'
import { bandOf, byUrgency, reads, stateName, unitWord } from '../api/words'
import { along, scaleOf } from './scale'
import { Shape as SeverityShape, toneOf } from '../ui/severity'

const blink = keyframes`
  50% { opacity: 0.35; }
`
/** What nobody has taken yet asks for the eye; who wants no motion sees the shape alone. */
const asksForEye = css`
  @media (prefers-reduced-motion: no-preference) {
    animation: ${blink} 1.2s step-end infinite;
  }
`
const sizes = { small: '0.72rem', medium: '0.875rem', large: '1.15rem' }
const Plate = styled.span<{ $size: keyof typeof sizes; $tone?: string; $blinks: boolean }>`
  display: inline-flex;
  align-items: center;
  gap: 5px;
  font-size: ${(p) => sizes[p.$size]};
  line-height: 1.3;
  padding: 2px 7px;
  white-space: nowrap;
  color: var(--ink);
  background: color-mix(in srgb, var(--surface) 90%, transparent);
  border: 1px solid ${(p) => p.$tone ?? 'var(--line)'};
  border-radius: var(--radius);
  b {
    font-weight: 640;
  }
  svg {
    ${(p) => p.$blinks && asksForEye}
  }
`
const Words = styled(Plate)`
  border-color: transparent;
  background: color-mix(in srgb, var(--surface) 70%, transparent);
`
const marks = { small: 12, medium: 18, large: 28 }

/** How a pin looks in the state it is in. */
type Face = { text: string; shape: NonNullable<Pin['shape']>; size: keyof typeof sizes }

function faceOf(pin: Pin, states: string[]): Face {
  const look = (pin.states ?? []).find((l) => states.includes(l.when))
  return {
    text: look?.text || pin.text || '',
    shape: look?.shape || pin.shape || 'round',
    size: look?.size || pin.size || 'medium',
  }
}

/** All that can be said of a signal's state, worst first. */
function statesOf(s: Signal | undefined, worst: Alarm | undefined) {
  if (!s) return []
  const states: string[] = worst ? [worst.severity] : []
  if (s.silent_since) states.push('silent')
  if (s.value == null) return states
  const band = bandOf(s, s.value)
  if (band) states.push(band.name)
  if (s.kind === 'switch') states.push(stateName(s, s.value), s.value ? 'on' : 'off')
  if (s.text) states.push(s.text)
  return states
}

/** Where a press on a pin leads to. */
export function pinLink(pin: Pin) {
  if (pin.kind === 'board') return `/boards/${pin.board}`
  if (pin.output) return `/outputs/${pin.output}`
  return pin.signal ? `/signals/${pin.signal}` : undefined
}

/** One pin of a picture, as its state has it. */
export function PinFace({ pin }: { pin: Pin }) {
  switch (pin.kind) {
    case 'lamp':
      return pin.output ? <OutputLamp pin={pin} /> : <SignalLamp pin={pin} />
    case 'bar':
      return <BarPin pin={pin} />
    case 'label':
      return <LabelPin pin={pin} />
    case 'board':
      return <BoardPin pin={pin} />
    default:
      return <ValuePin pin={pin} />
  }
}

function usePinState(pin: Pin) {
  const signal = useSignal(pin.signal ?? '')
  const worst = useWorst(pin.signal ?? '')
  const face = faceOf(pin, statesOf(signal, worst))
  const tone = worst ? toneOf(worst.severity) : undefined
  return { signal, worst, face, tone, blinks: !!worst && !worst.acknowledged_at }
}

function ValuePin({ pin }: { pin: Pin }) {
  const { signal, worst, face, tone, blinks } = usePinState(pin)
  return (
    <Plate $size={face.size} $tone={tone} $blinks={blinks} data-pin={pin.signal}>
      {worst && <SeverityShape of={worst.severity} />}
      {face.text} <b>{signal ? reads(signal) : '–'}</b> {signal && unitWord(signal)}
      {signal?.silent_since && ' silent'}
    </Plate>
  )
}

function LabelPin({ pin }: { pin: Pin }) {
  const { worst, face, tone, blinks } = usePinState(pin)
  return (
    <Words $size={face.size} $tone={tone} $blinks={blinks}>
      {worst && <SeverityShape of={worst.severity} />}
      {face.text}
    </Words>
  )
}

const outlines: Record<string, string> = {
  round: 'M9 1.5a7.5 7.5 0 1 1 0 15 7.5 7.5 0 0 1 0-15Z',
  square: 'M2 2H16V16H2Z',
  diamond: 'M9 1 17 9 9 17 1 9Z',
  triangle: 'M9 1.5 17 16H1Z',
  pill: 'M6 4H12A5 5 0 0 1 12 14H6A5 5 0 0 1 6 4Z',
}
type LampProps = {
  face: Face
  fill: string
  stroke: string
  words: string
  tone?: string
  blinks: boolean
  name?: string
}

/** Told by outline and fill: filled while on, a ring while off. */
const LampFace = ({ face, fill, stroke, words, tone, blinks, name }: LampProps) => (
  <Plate $size={face.size} $tone={tone} $blinks={blinks} data-pin={name}>
    <svg width={marks[face.size]} height={marks[face.size]} viewBox="0 0 18 18" role="img" aria-label={words}>
      <path d={outlines[face.shape || 'round']} fill={fill} stroke={stroke} strokeWidth="1.8" />
    </svg>
    {face.text || words}
  </Plate>
)

function SignalLamp({ pin }: { pin: Pin }) {
  const { signal, worst, face, tone, blinks } = usePinState(pin)
  const on = !!signal?.value
  const band = signal?.value != null ? bandOf(signal, signal.value) : undefined
  const own = band?.colour ? `var(--band-${band.colour})` : undefined
  const words =
    !signal || signal.value == null
      ? 'unknown'
      : signal.silent_since
        ? 'silent'
        : (band?.name ?? (signal.kind === 'switch' ? stateName(signal, signal.value) : reads(signal)))
  const lit = tone ?? own ?? 'var(--ink)'
  return (
    <LampFace
      name={pin.signal}
      face={
        worst && !pin.states?.some((l) => l.when === worst.severity)
          ? { ...face, shape: alarmShapes[worst.severity] }
          : face
      }
      fill={tone ? lit : signal?.kind === 'switch' && !on && !own ? 'none' : lit}
      stroke={signal?.silent_since ? 'var(--silent)' : lit}
      words={words}
      tone={tone}
      blinks={blinks}
    />
  )
}
const alarmShapes = { critical: 'square', warning: 'triangle', advisory: 'diamond' } as const

function OutputLamp({ pin }: { pin: Pin }) {
  const o = useOutputs().data?.outputs.find((v) => `${v.device}/${v.name}` === pin.output)
  const on = !!o && o.ordered !== (o.rest || o.safe || '')
  const face = faceOf(pin, o ? [o.ordered, on ? 'on' : 'off'] : [])
  const lit = o?.kind === 'colour' && o.ordered !== '#000000' ? o.ordered : 'var(--ink)'
  return (
    <LampFace
      name={pin.output}
      face={face}
      fill={on ? lit : 'none'}
      stroke="var(--ink)"
      words={o ? stateWords(o, o.ordered) : 'unknown'}
      blinks={false}
    />
  )
}

function BarPin({ pin }: { pin: Pin }) {
  const { signal, worst, face, tone, blinks } = usePinState(pin)
  const day = useSpark(pin.signal ?? '')
  const guards = useGuards().data
  const tall = 2.6 * marks[face.size]
  const scale = signal ? scaleOf(signal, guards, day) : undefined
  const part = scale && signal?.value != null ? along(scale, seen(signal.value, signal.unit)) : 0
  return (
    <Plate $size={face.size} $tone={tone} $blinks={blinks} data-pin={pin.signal}>
      <svg width="10" height={tall} aria-hidden="true">
        <rect x="1" y="0.5" width="8" height={tall - 1} fill="var(--sunk)" stroke="var(--ink-soft)" />
        <rect x="2" y={1 + (1 - part) * (tall - 2)} width="6" height={part * (tall - 2)} fill={tone ?? 'var(--ink)'} />
        {scale?.limits.map((l, i) => (
          <path
            key={i}
            d={`M0 ${1 + (1 - along(scale, l.at)) * (tall - 2)}H10`}
            stroke={toneOf(l.severity)}
            strokeWidth="1.6"
          />
        ))}
      </svg>
      <span>
        {worst && <SeverityShape of={worst.severity} />} {face.text} <b>{signal ? reads(signal) : '–'}</b>{' '}
        {signal && unitWord(signal)}
      </span>
    </Plate>
  )
}

/** The signals that a board shows. */
const signalsOf = (b: Board) =>
  b.tiling.tiles.flatMap((t) => [...(t.series ?? []), ...(t.pins ?? [])].flatMap((v) => v.signal ?? []))

/** A board as a place on a map, with the worst that is on it. */
function BoardPin({ pin }: { pin: Pin }) {
  const board = useBoards().data?.find((b) => b.name === pin.board)
  const standing = useStanding().data ?? []
  const on = board ? signalsOf(board) : []
  const wrong = standing.filter((a) => on.includes(a.signal)).sort(byUrgency)
  const worst = wrong[0]
  const face = faceOf(pin, worst ? [worst.severity] : [])
  return (
    <Plate
      $size={face.size}
      $tone={worst && toneOf(worst.severity)}
      $blinks={wrong.some((a) => !a.acknowledged_at)}
      data-pin={pin.board}
    >
      {worst && <SeverityShape of={worst.severity} />}
      <b>{face.text || board?.title || pin.board}</b>
      {wrong.length > 0 && ` ${wrong.length} wrong`}
    </Plate>
  )
}
