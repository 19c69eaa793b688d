import styled from 'styled-components'
import { seen, seenDifference, shown } from '../api/units'
import { figure } from '../api/words'

const Bar = styled.div`
  display: grid;
  grid-template-columns: 16px auto;
  gap: 8px;
  height: 100%;
  min-height: 160px;
  font-size: var(--step--1);
  font-variant-numeric: tabular-nums;
  > div:last-child {
    display: flex;
    flex-direction: column;
    justify-content: space-between;
    white-space: nowrap;
  }
`
type Props = { colours: string[]; range: [number, number]; difference?: boolean }

/** What the colours of a frame stand for. */
export function ColourScale({ colours, range: [low, high], difference }: Props) {
  const stops = colours.filter((_, i) => i % 15 === 0)
  const say = (v: number) =>
    difference
      ? `${v > 0 ? '+' : ''}${figure(Number(seenDifference(v, 'Cel').toFixed(1)))} K`
      : `${figure(Number(seen(v, 'Cel').toFixed(high - low < 20 ? 1 : 0)))} ${shown('Cel')}`
  return (
    <Bar aria-hidden="true">
      <div style={{ background: `linear-gradient(to top, ${stops.join(', ')})` }} />
      <div>
        {[1, 0.75, 0.5, 0.25, 0].map((t) => (
          <span key={t}>{say(low + t * (high - low))}</span>
        ))}
      </div>
    </Bar>
  )
}
