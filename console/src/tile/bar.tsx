import styled from 'styled-components'
import { useWorst } from '../api/alarm'
import type { Series } from '../api/client'
import { useGuards } from '../api/guard'
import { useSignal, useSpark } from '../api/signal'
import { seen } from '../api/units'
import { figure, reads, unitWord } from '../api/words'
import { TileBox } from './box'
import { seriesTitle, signalLink, type TileProps } from './context'
import { along, scaleOf } from './scale'
import { PlainLink, Soft } from '../ui/basics'
import { Shape, toneOf } from '../ui/severity'

const Rows = styled.div`
  display: grid;
  gap: 10px;
  align-content: center;
  min-height: 100%;
`
const Top = styled.div`
  display: flex;
  justify-content: space-between;
  gap: var(--gap-3);
  b {
    font-weight: 620;
    white-space: nowrap;
  }
`
const Track = styled.svg`
  display: block;
  width: 100%;
  height: 18px;
  overflow: visible;
`
const Ends = styled.div`
  display: flex;
  justify-content: space-between;
  font-size: var(--step--1);
  color: var(--ink-soft);
`

/** Each value as a mark on its scale, with where it is normal and its limits. */
export const BarTile = ({ tile }: TileProps) => (
  <TileBox tile={tile} scrolls>
    <Rows>
      {(tile.series ?? []).map((s) => (
        <OneBar key={s.signal} series={s} several={(tile.series?.length ?? 0) > 1} />
      ))}
    </Rows>
  </TileBox>
)

function OneBar({ series, several }: { series: Series; several: boolean }) {
  const signal = useSignal(series.signal)
  const worst = useWorst(series.signal)
  const day = useSpark(series.signal)
  const guards = useGuards().data
  if (!signal) return <Soft>There is no signal {series.signal}.</Soft>
  const scale = scaleOf(signal, guards, day)
  const x = (v: number) => 1000 * along(scale, v)
  const tone = worst ? toneOf(worst.severity) : 'var(--ink)'
  return (
    <div data-signal={series.signal}>
      <Top>
        <PlainLink href={signalLink(signal)}>
          {several || series.title ? seriesTitle(series, signal, true) : ''}
        </PlainLink>
        <b style={{ color: tone }}>
          {worst && <Shape of={worst.severity} />} {reads(signal)} <Soft>{unitWord(signal)}</Soft>
        </b>
      </Top>
      <Track viewBox="0 0 1000 18" preserveAspectRatio="none" aria-hidden="true">
        <rect x="0" y="7" width="1000" height="4" fill="var(--sunk)" />
        {scale.normal && (
          <rect
            x={x(scale.normal[0])}
            y="7"
            width={x(scale.normal[1]) - x(scale.normal[0])}
            height="4"
            fill="var(--ink-soft)"
            opacity="0.55"
          />
        )}
        {scale.limits.map((l, i) => (
          <path
            key={i}
            d={`M${x(l.at)} 2V16`}
            stroke={toneOf(l.severity)}
            strokeWidth="2"
            vectorEffect="non-scaling-stroke"
          />
        ))}
        {signal.value != null && (
          <path
            d={`M${x(seen(signal.value, signal.unit))} 0V18`}
            stroke={tone}
            strokeWidth="5"
            vectorEffect="non-scaling-stroke"
          />
        )}
      </Track>
      <Ends aria-hidden="true">
        <span>{figure(Number(scale.low.toPrecision(3)))}</span>
        <span>{figure(Number(scale.high.toPrecision(3)))}</span>
      </Ends>
    </div>
  )
}
