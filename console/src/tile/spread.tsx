import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useRef } from 'react'
import styled from 'styled-components'
import { keyOf } from '../api/changes'
import { api, take } from '../api/client'
import { useGuards } from '../api/guard'
import { useRested } from '../api/lines'
import { serviceNow } from '../api/live'
import { useSignal } from '../api/signal'
import { seen } from '../api/units'
import { figure, limitsFor, many, shown } from '../api/words'
import { standalone } from '../chart/save'
import { boundsOf } from '../chart/window'
import { TileBox } from './box'
import { signalLink, type TileProps, useSight, useTileView, useTitle } from './context'
import { ChartTools } from './tools'
import { Small } from '../ui/basics'
import { toneOf } from '../ui/severity'
import { useSize } from '../ui/size'

const Column = styled.div`
  display: flex;
  flex-direction: column;
  height: 100%;
  > :first-child {
    flex: 1;
    min-height: 0;
    overflow: hidden;
  }
  svg text {
    fill: var(--ink-soft);
    font-size: 12px;
  }
`
const bins = 40

type Bar = { from: number; until: number; count: number }
type Hour = { hour: number; low: number; mean: number; high: number }

/** How often each value came in the stretch, or how values go over the day. */
export default function SpreadTile({ tile }: TileProps) {
  const path = tile.series?.[0]?.signal ?? ''
  const sight = useSight()
  const view = useRested(useTileView(tile))
  const signal = useSignal(path)
  const title = useTitle(tile)
  const guards = useGuards().data
  const [box, size] = useSize<HTMLDivElement>()
  const svg = useRef<SVGSVGElement>(null)
  const spread = useQuery({
    queryKey: keyOf('spread', path, view),
    queryFn: () => {
      const [device = '', name = ''] = path.split('/')
      const { from, until } = boundsOf(view, serviceNow())
      const query = {
        bins,
        since: new Date(from).toISOString(),
        until: new Date(Math.min(until, serviceNow())).toISOString(),
      }
      return take(
        api.GET('/api/v1/signals/{device}/{signal}/spread', { params: { path: { device, signal: name }, query } }),
      )
    },
    placeholderData: keepPreviousData,
    refetchInterval: view.fixed ? false : 5 * 60_000,
  }).data
  const unit = signal ? shown(signal.unit) : ''
  const eye = (v: number) => (signal ? seen(v, signal.unit) : v)
  const step = spread ? (spread.high - spread.low) / Math.max(1, spread.counts.length) : 0
  const bars = (spread?.counts ?? []).map((count, i) => ({
    from: eye(spread!.low + i * step),
    until: eye(spread!.low + (i + 1) * step),
    count,
  }))
  const hours = (spread?.hours ?? []).map((h) => ({
    hour: h.hour,
    low: eye(h.low),
    mean: eye(h.mean),
    high: eye(h.high),
  }))
  const limits = limitsFor(guards, path).map((l) => ({ at: eye(l.limit), severity: l.severity }))
  const rows = () =>
    tile.profile
      ? {
          heads: ['hour', `lowest (${unit})`, `mean (${unit})`, `highest (${unit})`],
          rows: hours.map((h) => [`${h.hour}:00`, h.low, h.mean, h.high]),
        }
      : { heads: [`from (${unit})`, `to (${unit})`, 'readings'], rows: bars.map((b) => [b.from, b.until, b.count]) }
  const round = (v: number) => figure(Number(v.toPrecision(4)))
  const words = !spread?.count
    ? 'No readings in this stretch.'
    : `${many(spread.count)} readings, ${round(eye(spread.low))} to ${round(eye(spread.high))}, mean ${round(eye(spread.mean ?? 0))} ${unit}`
  const tools = !sight.still && (
    <ChartTools
      title={title}
      rows={rows}
      drawing={() => (svg.current && size.width ? standalone(svg.current, title) : undefined)}
    />
  )
  return (
    <TileBox tile={tile} to={signal && signalLink(signal)} tools={tools}>
      <Column>
        <div ref={box}>
          <svg
            ref={svg}
            width={size.width}
            height={size.height}
            role="img"
            aria-label={`${title}: ${words}`}
            data-spread={spread?.count ?? ''}
          >
            {tile.profile ? <Profile hours={hours} {...size} /> : <Bars bars={bars} limits={limits} {...size} />}
          </svg>
        </div>
        <Small>{spread ? words : ''}</Small>
      </Column>
    </TileBox>
  )
}

const foot = 18

function Bars({
  bars,
  limits,
  width,
  height,
}: {
  bars: Bar[]
  limits: { at: number; severity: string }[]
  width: number
  height: number
}) {
  const first = bars[0]
  const last = bars.at(-1)
  if (!first || !last) return null
  const most = Math.max(...bars.map((b) => b.count), 1)
  const x = (v: number) => ((v - first.from) / (last.until - first.from || 1)) * width
  const tall = height - foot - 4
  return (
    <>
      {bars.map((b) => {
        // A few readings are still to be seen beside many.
        const h = b.count ? Math.max(2, (b.count / most) * tall) : 0
        return (
          <rect
            key={b.from}
            x={x(b.from) + 0.5}
            y={height - foot - h}
            width={Math.max(1, x(b.until) - x(b.from) - 1)}
            height={h}
            fill="var(--line-1)"
          />
        )
      })}
      {limits
        .filter((l) => l.at >= first.from && l.at <= last.until)
        .map((l, i) => (
          <path
            key={i}
            d={`M${x(l.at)} 0V${height - foot}`}
            stroke={toneOf(l.severity)}
            strokeWidth="2"
            strokeDasharray="5 4"
          />
        ))}
      <text x="0" y={height - 4}>
        {figure(Number(first.from.toPrecision(4)))}
      </text>
      <text x={width} y={height - 4} textAnchor="end">
        {figure(Number(last.until.toPrecision(4)))}
      </text>
    </>
  )
}

function Profile({ hours, width, height }: { hours: Hour[]; width: number; height: number }) {
  if (!hours.length) return null
  const low = Math.min(...hours.map((h) => h.low))
  const high = Math.max(...hours.map((h) => h.high))
  const left = 44
  const x = (hour: number) => left + ((hour + 0.5) / 24) * (width - left)
  const y = (v: number) => 8 + (1 - (v - low) / (high - low || 1)) * (height - foot - 12)
  const wide = Math.max(2, ((width - left) / 24) * 0.6)
  const ends = [low, high]
  return (
    <>
      {hours.map((h) => (
        <rect
          key={h.hour}
          x={x(h.hour) - wide / 2}
          y={y(h.high)}
          width={wide}
          height={Math.max(1, y(h.low) - y(h.high))}
          fill="var(--line-1)"
          opacity="0.3"
        />
      ))}
      <path
        d={hours.map((h, i) => `${i ? 'L' : 'M'}${x(h.hour)} ${y(h.mean)}`).join('')}
        fill="none"
        stroke="var(--line-1)"
        strokeWidth="2"
      />
      {ends.map((v) => (
        <text key={v} x={left - 8} y={y(v) + 4} textAnchor="end">
          {figure(Number(v.toPrecision(4)))}
        </text>
      ))}
      {[0, 6, 12, 18].map((h) => (
        <text key={h} x={x(h)} y={height - 4} textAnchor="middle">{`${String(h).padStart(2, '0')}:00`}</text>
      ))}
    </>
  )
}
