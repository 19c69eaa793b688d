import { lazy, Suspense } from 'react'
import styled from 'styled-components'
import type { Placed } from '../../api/board'
import { pathOf, type Signal } from '../../api/client'
import { SightTools, useBoardSight } from '../board/sight'
import { SightProvider } from '../../tile/context'
import { Soft } from '../../ui/basics'

const LinesTile = lazy(() => import('../../tile/lines'))

const Room = styled.div`
  height: 400px;
  margin: var(--gap-3) 0;
  break-inside: avoid;
  article {
    border: 0;
    padding: 0;
  }
`
type Props = {
  signal: Signal
  span: number // milliseconds up to now, to begin with
  fixed?: { from: number; until: number } // or a stretch that is over
  tools?: boolean // the stretch can be chosen, and stands in the address
}

/** A signal's line, as a tile of a board has it: zoomed and moved, with its limits, alarms and notes. */
export function SignalChart({ signal, span, fixed, tools = false }: Props) {
  const sight = useBoardSight({ tiles: [], range: `${span}ms` }, `signal ${pathOf(signal)}`, !tools, fixed)
  const tile: Placed = { id: 'signal', kind: 'lines', series: [{ signal: pathOf(signal) }], x: 0, y: 0, w: 12, h: 7 }
  return (
    <>
      {tools && <SightTools sight={sight} />}
      <Room>
        <SightProvider value={{ ...sight, still: false }}>
          <Suspense fallback={<Soft>Drawing …</Soft>}>
            <LinesTile tile={tile} />
          </Suspense>
        </SightProvider>
      </Room>
    </>
  )
}
