import styled from 'styled-components'
import { useWorst } from '../api/alarm'
import { useGuards } from '../api/guard'
import { useNow } from '../api/live'
import { useSignal, useSpark } from '../api/signal'
import { useSite } from '../api/site'
import { age, doubt, length, limitsFor, ranWords, reads, unitWord } from '../api/words'
import { Spark } from '../chart/spark'
import { TileBox } from './box'
import { signalLink, type TileProps } from './context'
import { Soft } from '../ui/basics'
import { Shape, Silent, toneOf } from '../ui/severity'
import { useSize } from '../ui/size'

const Column = styled.div`
  display: flex;
  flex-direction: column;
  height: 100%;
`
const Reading = styled.div<{ $tone?: string }>`
  font-size: clamp(1.5rem, 2.4vw, 2.4rem);
  font-weight: 600;
  letter-spacing: -0.02em;
  line-height: 1.15;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  color: ${(p) => p.$tone ?? 'inherit'};
  small {
    font-size: var(--step-1);
    font-weight: 400;
    letter-spacing: 0;
    color: var(--ink-soft);
  }
`
const Line = styled.div`
  flex: 1;
  min-height: 0;
  overflow: hidden;
`
const State = styled.div`
  font-size: var(--step--1);
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  min-height: 22px;
`

/** One number, with its last day as a small line and its limits drawn in. */
export function ValueTile({ tile }: TileProps) {
  const path = tile.series?.[0]?.signal ?? ''
  const signal = useSignal(path)
  const worst = useWorst(path)
  const spark = useSpark(path)
  const guards = useGuards().data
  const [box, size] = useSize<HTMLDivElement>()
  const tone = worst && toneOf(worst.severity)
  const limits = limitsFor(guards, path).map((l) => l.limit)
  return (
    <TileBox tile={tile} to={signal && signalLink(signal)}>
      <Column>
        <Reading $tone={tone} data-signal={path}>
          {signal ? reads(signal) : '–'} <small>{signal && unitWord(signal)}</small>
        </Reading>
        <State>{signal && <StateWords path={path} />}</State>
        <Line ref={box}>
          <Spark
            points={spark}
            limits={limits}
            now={signal?.value}
            width={size.width}
            height={size.height}
            tone={tone}
          />
        </Line>
      </Column>
    </TileBox>
  )
}

/** How a signal is, in words: its alarm, that it is silent or doubtful, or how old its value is. */
export function StateWords({ path }: { path: string }) {
  const signal = useSignal(path)
  const worst = useWorst(path)
  const now = useNow()
  const zone = useSite().data?.zone ?? 'UTC'
  if (!signal) return null
  if (worst)
    return (
      <>
        <Shape of={worst.severity} /> {worst.severity} for {length(now - Date.parse(worst.raised_at))}
      </>
    )
  if (signal.silent_since) return <Silent />
  if (doubt(signal)) return <Silent word={doubt(signal)} />
  return <Soft>{ranWords(signal, now, zone) || age(signal.at, now)}</Soft>
}
