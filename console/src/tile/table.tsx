import type { Series } from '../api/client'
import { useSignal, useSpark } from '../api/signal'
import { reads, unitWord, valueParts } from '../api/words'
import { TileBox } from './box'
import { seriesTitle, signalLink, type TileProps } from './context'
import { StateWords } from './value'
import { Brief, Columns, Num, PlainLink, Table } from '../ui/basics'

/** Values of several signals below each other, with the last day's lowest and highest. */
export const TableTile = ({ tile }: TileProps) => (
  <TileBox tile={tile} scrolls>
    <Table>
      <Columns names={['Signal', 'Now', 'Last day', 'State']} />
      <tbody>
        {(tile.series ?? []).map((s) => (
          <Row key={s.signal} series={s} />
        ))}
      </tbody>
    </Table>
  </TileBox>
)

function Row({ series }: { series: Series }) {
  const signal = useSignal(series.signal)
  const day = useSpark(series.signal)
  const lows = (day?.low ?? []).filter((v) => v != null)
  const highs = (day?.high ?? []).filter((v) => v != null)
  const eye = (v: number) => valueParts(v, signal?.unit ?? '', signal?.step)[0]
  return (
    <tr data-signal={series.signal}>
      <td>
        {signal ? <PlainLink href={signalLink(signal)}>{seriesTitle(series, signal, true)}</PlainLink> : series.signal}
      </td>
      <Num>
        <b>{signal ? reads(signal) : '–'}</b> {signal && unitWord(signal)}
      </Num>
      <Num>
        {signal?.kind === 'number' && lows.length ? `${eye(Math.min(...lows))} to ${eye(Math.max(...highs))}` : ''}
      </Num>
      <Brief>
        <StateWords path={series.signal} />
      </Brief>
    </tr>
  )
}
