import { lazy, Suspense } from 'react'
import styled from 'styled-components'
import type { Placed } from '../../api/board'
import { pathOf, type Signal } from '../../api/client'
import type { Stretch } from '../../chart/window'
import { SightTools, useBoardSight } from '../board/sight'
import { SightProvider } from '../../tile/context'
import { Soft, Well } from '../../ui/basics'

const LinesTile = lazy(() => import('../../tile/lines'))

const Room = styled.div`
  height: 320px;
  margin: var(--gap-3) 0;
  break-inside: avoid;
  article {
    border: 0;
    padding: 0;
  }
`
const mostLines = 6

/** The signals that one chart can show: numbers of two units at most, the first ones. */
export function drawable(signals: Signal[]): Signal[] {
  const units: string[] = []
  return signals
    .filter((s) => {
      if (s.kind !== 'number') return false
      if (!units.includes(s.unit)) units.push(s.unit)
      return units.indexOf(s.unit) < 2
    })
    .slice(0, mostLines)
}

type Props = {
  signals: Signal[]
  range: string
  fixed?: Stretch
  onCursor?: (at: number | undefined) => void
  beside?: (stretch: Stretch | undefined) => React.ReactNode // what can be done with the stretch in view
}

/** Several signals on one chart, as a board's tile draws them. */
export function AssetChart({ signals, range, fixed, onCursor, beside }: Props) {
  const paths = drawable(signals).map(pathOf)
  const sight = useBoardSight({ tiles: [], range }, `asset ${paths.join()}`, !!fixed || !!beside, fixed)
  const tile: Placed = {
    id: 'chart',
    kind: 'lines',
    series: paths.map((signal) => ({ signal })),
    x: 0,
    y: 0,
    w: 12,
    h: 6,
  }
  if (!paths.length) return null
  return (
    <Well>
      {!fixed && <SightTools sight={sight} />}
      <Room>
        <SightProvider value={{ ...sight, onCursor, still: false }}>
          <Suspense fallback={<Soft>Drawing …</Soft>}>
            <LinesTile tile={tile} />
          </Suspense>
        </SightProvider>
      </Room>
      {beside?.(sight.view.fixed)}
    </Well>
  )
}
