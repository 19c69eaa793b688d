import { useBringBack, useRemoved } from '../../api/removed'
import { useSession, useSite } from '../../api/site'
import { clock } from '../../api/words'
import { Above, Columns, Failure, Heading, PlainLink, Prose, QuietButton, Scroll, Soft, Table } from '../../ui/basics'
import { NoPage } from '../../ui/no-page'

const day: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }

/** What was removed in the last 30 days, to be brought back. */
export function Removed() {
  const removed = useRemoved()
  const back = useBringBack()
  const zone = useSite().data?.zone ?? 'UTC'
  const keeper = useSession().data?.role !== 'viewer'
  if (removed.error) return <NoPage error={removed.error} />
  if (!removed.data) return <Soft>Looking …</Soft>
  return (
    <>
      <title>Removed · Jaunty Lark</title>
      <Above>
        <PlainLink href="/set-up">Set-up</PlainLink>
      </Above>
      <Heading>Removed</Heading>
      <Prose>
        Whatever is removed can be brought back for 30 days, as it was and with all that went with it. Keys, sessions
        and tokens that were ended stay ended.
      </Prose>
      {removed.data.length === 0 ? (
        <Prose>Nothing was removed in the last 30 days.</Prose>
      ) : (
        <Scroll tabIndex={0} role="region" aria-label="Removed">
          <Table>
            <Columns names={['Kind', 'Name', 'Removed', 'By', 'Until', '']} />
            <tbody>
              {removed.data.map((r) => (
                <tr key={`${r.kind} ${r.name} ${r.removed_at}`}>
                  <td>{r.kind}</td>
                  <td>
                    {r.title || r.name} {r.title && <Soft>{r.name}</Soft>}
                  </td>
                  <td>{clock(r.removed_at, zone, day)}</td>
                  <td>{r.removed_by}</td>
                  <td>{clock(r.until, zone, day)}</td>
                  <td>
                    {keeper && (
                      <QuietButton
                        aria-label={`Bring back the ${r.kind} ${r.title || r.name}`}
                        onPress={() => back.mutate({ kind: r.kind, name: r.name })}
                        isDisabled={back.isPending}
                      >
                        Bring back
                      </QuietButton>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
      {back.error && <Failure error={back.error} />}
    </>
  )
}
