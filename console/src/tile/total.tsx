import styled from 'styled-components'
import { useSite } from '../api/site'
import { comesTo, useTotal } from '../api/total'
import { clock, figure } from '../api/words'
import { TileBox } from './box'
import type { TileProps } from './context'
import { Failure, Soft } from '../ui/basics'
import { useSize } from '../ui/size'

const Column = styled.div`
  display: flex;
  flex-direction: column;
  height: 100%;
  b {
    font-size: var(--step-2);
    font-weight: 600;
    letter-spacing: -0.01em;
    line-height: 1.2;
  }
  > :last-child {
    flex: 1;
    min-height: 0;
    margin-top: var(--gap-2);
    overflow: hidden;
  }
`
const periods = 12
const names = { day: 'today', week: 'this week', month: 'this month' }
const before = { day: 'yesterday', week: 'last week', month: 'last month' }

/** What a total comes to in this period, against the one before. */
export function TotalTile({ tile }: TileProps) {
  const by = tile.by || 'month'
  const total = useTotal(tile.total ?? '', by)
  const zone = useSite().data?.zone ?? 'UTC'
  const [box, size] = useSize<HTMLDivElement>()
  const t = total.data
  const shown = (t?.periods ?? []).slice(-periods)
  const now = shown.at(-1)
  const last = shown.at(-2)
  const most = Math.max(...shown.map((p) => p.value), 0) || 1
  const wide = size.width / Math.max(1, shown.length)
  const named: Intl.DateTimeFormatOptions = by === 'month' ? { month: 'short' } : { day: 'numeric', month: 'short' }
  const title = { ...tile, title: tile.title || t?.title || tile.total?.replace(/-/g, ' ') || '' }
  return (
    <TileBox tile={title} to={`/totals/${tile.total}`}>
      {total.error && <Failure error={total.error} />}
      <Column data-total={tile.total}>
        <b>{t && now ? comesTo(t, now) : '–'}</b>
        <Soft>
          {names[by]}
          {t && last && `; ${before[by]} ${comesTo(t, last)}`}
        </Soft>
        <div ref={box}>
          <svg width={size.width} height={size.height} aria-hidden="true">
            {shown.map((p, i) => {
              const h = (p.value / most) * Math.max(0, size.height - 20)
              return (
                <rect
                  key={p.at}
                  x={i * wide + 1}
                  y={size.height - 16 - h}
                  width={Math.max(1, wide - 3)}
                  height={h}
                  fill="var(--line-1)"
                  opacity={i === shown.length - 1 ? 1 : 0.45}
                >
                  <title>{`${clock(p.at, zone, named)}: ${figure(p.value)}`}</title>
                </rect>
              )
            })}
            {shown.length > 0 && (
              <>
                <text x="0" y={size.height - 3} fontSize="12" fill="var(--ink-soft)">
                  {clock(shown[0]!.at, zone, named)}
                </text>
                <text x={size.width} y={size.height - 3} fontSize="12" textAnchor="end" fill="var(--ink-soft)">
                  {clock(now!.at, zone, named)}
                </text>
              </>
            )}
          </svg>
        </div>
      </Column>
    </TileBox>
  )
}
