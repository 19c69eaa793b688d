import styled from 'styled-components'
import { extentOf, useEye, useGrid, useNewestFrame, usePalettes } from '../api/frames'
import { clock } from '../api/words'
import { FrameCanvas } from '../thermal/canvas'
import { ColourScale } from '../thermal/scale'
import { Failure, Small, Soft } from '../ui/basics'
import { TileBox } from './box'
import { type TileProps, useSight } from './context'

const Two = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: var(--gap-3);
  height: calc(100% - 20px);
  > div:first-child {
    display: grid;
    align-content: start;
    min-height: 0;
  }
`

/** The newest thermal frame of a device, with its regions and its scale. */
export default function FramesTile({ tile }: TileProps) {
  const device = tile.device ?? ''
  const { zone } = useSight()
  const at = useNewestFrame(device)
  const grid = useGrid(device, at)
  const eye = useEye(device).data
  const palette = usePalettes().data?.[0]
  return (
    <TileBox tile={tile} to={`/frames/${device}`}>
      {grid.error ? (
        <Failure error={grid.error} />
      ) : grid.data && palette && eye ? (
        <Two>
          <div>
            <FrameCanvas
              grid={grid.data}
              colours={palette.colours}
              range={extentOf(grid.data)}
              regions={eye.regions ?? []}
              blend={0}
              label={`The newest frame of ${device}`}
            />
          </div>
          <ColourScale colours={palette.colours} range={extentOf(grid.data)} />
        </Two>
      ) : (
        <Soft>Looking …</Soft>
      )}
      {at && (
        <Small>
          {clock(at, zone, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit', second: '2-digit' })}
        </Small>
      )}
    </TileBox>
  )
}
