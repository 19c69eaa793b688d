import styled from 'styled-components'
import { useWorst } from '../api/alarm'
import { useGuards } from '../api/guard'
import { useSignal, useSpark } from '../api/signal'
import { seen } from '../api/units'
import { bandOf, figure, placesOf, reads, readsIn } from '../api/words'
import { TileBox } from './box'
import { signalLink, type TileProps } from './context'
import { along, scaleOf } from './scale'
import { StateWords } from './value'
import { toneOf } from '../ui/severity'

const Drawing = styled.svg`
  display: block;
  width: 100%;
  height: 100%;
  text {
    text-anchor: middle;
    font-size: 30px;
    font-weight: 600;
    letter-spacing: -0.02em;
  }
  text.soft {
    fill: var(--ink-soft);
    font-size: 12px;
    font-weight: 400;
    letter-spacing: 0;
  }
`
const Column = styled.div`
  display: flex;
  flex-direction: column;
  height: 100%;
  text-align: center;
  font-size: var(--step--1);
  > :first-child {
    flex: 1;
    min-height: 0;
  }
`
const radius = 82
const centre = { x: 110, y: 106 }
/** A point of the arc, which opens downwards; `part` is 0 at its left and 1 at its right end. */
function point(part: number, r = radius) {
  const angle = Math.PI * (1.1 - 1.2 * part)
  return [centre.x + r * Math.cos(angle), centre.y - r * Math.sin(angle)] as const
}
const arc = (from: number, to: number) => {
  const [a, b] = [point(from), point(to)]
  return `M${a.join(' ')}A${radius} ${radius} 0 ${to - from > 0.84 ? 1 : 0} 1 ${b.join(' ')}`
}

/** A value on an arc, with its bands and its limits. */
export function DialTile({ tile }: TileProps) {
  const path = tile.series?.[0]?.signal ?? ''
  const signal = useSignal(path)
  const worst = useWorst(path)
  const day = useSpark(path)
  const guards = useGuards().data
  if (!signal) return <TileBox tile={tile}>–</TileBox>
  const scale = scaleOf(signal, guards, day)
  const eye = (v: number) => along(scale, seen(v, signal.unit))
  const at = signal.value == null ? undefined : eye(signal.value)
  const tone = worst ? toneOf(worst.severity) : 'var(--ink)'
  const band = signal.value == null ? undefined : bandOf(signal, signal.value)
  const needle =
    at === undefined
      ? ''
      : `M${point(at, radius - 9).join(' ')}L${point(at - 0.025, radius - 24).join(' ')}L${point(at + 0.025, radius - 24).join(' ')}Z`
  return (
    <TileBox tile={tile} to={signalLink(signal)}>
      <Column>
        <Drawing
          viewBox="0 0 220 148"
          role="img"
          aria-label={`${reads(signal)} ${readsIn(signal)} ${band?.name ?? ''}`}
          data-signal={path}
        >
          <path d={arc(0, 1)} fill="none" stroke="var(--line)" strokeWidth="3" />
          {placesOf(signal.bands).map((b) => {
            const [from, to] = [b.from == null ? 0 : eye(b.from), b.to == null ? 1 : eye(b.to)]
            return (
              to > from && (
                <path
                  key={`${b.name} ${b.from}`}
                  d={arc(from, to)}
                  fill="none"
                  stroke={b.colour ? `var(--band-${b.colour})` : 'var(--line)'}
                  strokeWidth="9"
                />
              )
            )
          })}
          {scale.limits.map((l, i) => (
            <path
              key={i}
              d={`M${point(along(scale, l.at), radius - 7).join(' ')}L${point(along(scale, l.at), radius + 9).join(' ')}`}
              stroke={toneOf(l.severity)}
              strokeWidth="2.5"
            />
          ))}
          <path d={needle} fill={tone} />
          <text x={centre.x} y={centre.y + 2} fill={tone}>
            {reads(signal)}
          </text>
          <text x={centre.x} y={centre.y + 20} className="soft">
            {[readsIn(signal), band?.name].filter(Boolean).join(' · ')}
          </text>
          <text x={point(0)[0]} y={point(0)[1] + 16} className="soft">
            {figure(Number(scale.low.toPrecision(3)))}
          </text>
          <text x={point(1)[0]} y={point(1)[1] + 16} className="soft">
            {figure(Number(scale.high.toPrecision(3)))}
          </text>
        </Drawing>
        <div>
          <StateWords path={path} />
        </div>
      </Column>
    </TileBox>
  )
}
