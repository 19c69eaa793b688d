import { takeVersion, useVersions } from '../../api/board'
import type { Board } from '../../api/client'
import { useAct } from '../../api/queries'
import { useSite } from '../../api/site'
import { clock } from '../../api/words'
import { Brief, Columns, Failure, Prose, QuietButton, Scroll, Soft, Table } from '../../ui/basics'

const moment: Intl.DateTimeFormatOptions = {
  day: 'numeric',
  month: 'short',
  year: 'numeric',
  hour: '2-digit',
  minute: '2-digit',
}

/** What was published of a board; an older version can be taken up again. */
export function Versions({ board: b, done }: { board: Board; done: () => void }) {
  const zone = useSite().data?.zone ?? 'UTC'
  const versions = useVersions(b.name)
  const take = useAct((number: number) => takeVersion(b.name, number))
  if (versions.error) return <Failure error={versions.error} />
  return (
    <>
      <Prose>An older version becomes the draft; everybody sees it once it is published.</Prose>
      <Scroll>
        <Table>
          <Columns names={['Version', 'Published', 'By', 'Note', 'Tiles', '']} />
          <tbody>
            {(versions.data ?? []).map((v) => (
              <tr key={v.number}>
                <td>{v.number}</td>
                <Brief>{clock(v.at, zone, moment)}</Brief>
                <td>{v.by}</td>
                <td>{v.note || <Soft>–</Soft>}</td>
                <td>{v.tiling.tiles.length}</td>
                <td>
                  {v.number === b.version ? (
                    <Soft>this is it</Soft>
                  ) : (
                    <QuietButton
                      aria-label={`Make it the draft: version ${v.number}`}
                      onPress={() => take.mutate(v.number, { onSuccess: done })}
                    >
                      Make it the draft
                    </QuietButton>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroll>
      {take.error && <Failure error={take.error} />}
    </>
  )
}
