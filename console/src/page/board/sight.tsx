import { CellSelect } from '../../ui/cells'
import { useEffect, useMemo, useState } from 'react'
import { useLocation, useSearchParams } from 'react-router'
import styled from 'styled-components'
import type { Tiling } from '../../api/client'
import { useRested } from '../../api/lines'
import { serviceNow } from '../../api/live'
import { useSite } from '../../api/site'
import { clock, length, lengthOf } from '../../api/words'
import { shifted, type Stretch, type View, zoomed } from '../../chart/window'
import type { Sight } from '../../tile/context'
import { QuietButton, Soft } from '../../ui/basics'

const hour = 3600_000
export const spans: Record<string, number> = {
  hour,
  quarter: 6 * hour,
  day: 24 * hour,
  week: 168 * hour,
  month: 720 * hour,
  year: 8760 * hour,
}
const names: Record<string, string> = {
  hour: 'hour',
  quarter: '6 hours',
  day: 'day',
  week: 'week',
  month: '30 days',
  year: 'year',
}
const before: Record<number, string> = {
  [24 * hour]: 'yesterday',
  [168 * hour]: 'last week',
  [672 * hour]: 'four weeks ago',
  [8760 * hour]: 'last year',
}

/** What is in view on a board; it stands in the address, so that it can be handed on. */
export function useBoardSight(
  tiling: Tiling,
  group: string,
  still = false,
  begun?: Stretch,
): Sight & { setCompare: (ms: number) => void } {
  const [query, setQuery] = useSearchParams()
  const here = useLocation().pathname
  const zone = useSite().data?.zone ?? 'UTC'
  const own = lengthOf(tiling.range || '24h') || 24 * hour
  const [view, setView] = useState<View>(() => {
    if (begun) return { span: own, fixed: begun }
    const [from, until] = [Number(query.get('from')), Number(query.get('until'))]
    const span = Number(query.get('span')) || own
    return from > 0 && until > from ? { span, fixed: { from, until } } : { span }
  })
  const [compare, setCompare] = useState(() => Number(query.get('before') ?? lengthOf(tiling.compare || '0s')))
  const rested = useRested(JSON.stringify([view, compare]), 600)
  useEffect(() => {
    // Whoever has gone on meanwhile is not called back to where this was drawn.
    if (still || location.pathname !== here) return
    setQuery(
      (old) => {
        const next = new URLSearchParams(old)
        for (const name of ['from', 'until', 'span', 'before']) next.delete(name)
        if (view.span !== own) next.set('span', String(Math.round(view.span)))
        if (view.fixed) {
          next.set('from', String(Math.round(view.fixed.from)))
          next.set('until', String(Math.round(view.fixed.until)))
        }
        if (compare !== lengthOf(tiling.compare || '0s')) next.set('before', String(compare))
        return next
      },
      { replace: true },
    )
    // eslint-disable-next-line react-hooks/exhaustive-deps -- written once the view rests
  }, [rested])
  return useMemo(
    () => ({ view, onView: setView, compare, setCompare, zone, group, still }),
    [view, compare, zone, group, still],
  )
}

const Tools = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 6px var(--gap-3);
  align-items: center;
  margin: var(--gap-3) 0;
  min-height: 36px;
  select {
    font: inherit;
    color: var(--accent);
    background: transparent;
    border: 1px solid var(--line);
    border-radius: var(--radius);
    min-height: 32px;
    padding: 3px 8px;
  }
  button {
    min-height: 32px;
    padding: 4px 11px;
  }
  label {
    display: inline-flex;
    gap: 6px;
    align-items: center;
    color: var(--ink-soft);
  }
  @media print {
    button,
    label {
      display: none;
    }
  }
`

/** The stretch that all charts show, and how it is moved. */
export function SightTools({ sight }: { sight: ReturnType<typeof useBoardSight> }) {
  const { view, onView, compare, setCompare, zone } = sight
  const known = Object.entries(spans).find(([, ms]) => ms === view.span)?.[0]
  const now = serviceNow()
  const moment: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }
  const fixed = view.fixed
  return (
    <Tools role="group" aria-label="What the charts show">
      <CellSelect
        label="Time span"
        shown
        value={fixed ? '' : (known ?? 'own')}
        onChange={(v) => spans[v] && onView({ span: spans[v]! })}
        options={[
          ...(fixed ? [['', 'a stretch'] as const] : []),
          ...(!known && !fixed ? [['own', length(view.span)] as const] : []),
          ...Object.entries(names),
        ]}
      />
      <span>
        <QuietButton aria-label="Earlier" onPress={() => onView(shifted(view, now, -0.5))}>
          ←
        </QuietButton>{' '}
        <QuietButton aria-label="Later" isDisabled={!fixed} onPress={() => onView(shifted(view, now, 0.5))}>
          →
        </QuietButton>{' '}
        <QuietButton aria-label="Zoom in" onPress={() => onView(zoomed(view, now, 0.5))}>
          +
        </QuietButton>{' '}
        <QuietButton aria-label="Zoom out" onPress={() => onView(zoomed(view, now, 2))}>
          −
        </QuietButton>
      </span>
      {fixed && <QuietButton onPress={() => onView({ span: known ? view.span : 24 * hour })}>Back to now</QuietButton>}
      <CellSelect
        label="Compare with"
        shown
        value={String(compare)}
        onChange={(v) => setCompare(Number(v))}
        options={[
          ['0', 'nothing'],
          ...(!before[compare] && compare > 0
            ? [[String(compare), `${Math.round(compare / hour)} h earlier`] as const]
            : []),
          ...Object.entries(before),
        ]}
      />
      <Soft data-stretch>
        {fixed ? `${clock(fixed.from, zone, moment)} to ${clock(fixed.until, zone, moment)}` : 'up to now'}
      </Soft>
    </Tools>
  )
}
