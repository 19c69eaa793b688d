import { useParams } from 'react-router'
import { useAlarmAct, useDrill } from '../../api/alarm'
import { api, take } from '../../api/client'
import { useAct } from '../../api/queries'
import { useSession, useSite } from '../../api/site'
import { clock } from '../../api/words'
import {
  Above,
  Button,
  Columns,
  Failure,
  Heading,
  Num,
  PlainLink,
  Prose,
  QuietButton,
  Row,
  Scroll,
  Soft,
  Table,
} from '../../ui/basics'
import { NoPage } from '../../ui/no-page'

const seconds: Intl.DateTimeFormatOptions = { hour: '2-digit', minute: '2-digit', second: '2-digit' }

/** A drill as it goes: each step with its time, from the reading to somebody's "I have it". */
export function DrillPage() {
  const id = Number(useParams().id)
  const drill = useDrill(id)
  const zone = useSite().data?.zone ?? 'UTC'
  const keeper = useSession().data?.role !== 'viewer'
  const ack = useAlarmAct((alarm: number) =>
    take(api.POST('/api/v1/alarms/{id}/acknowledge', { params: { path: { id: alarm } } })),
  )
  const stop = useAct(() => take(api.DELETE('/api/v1/drills/{id}', { params: { path: { id } } })))
  if (drill.error) return <NoPage error={drill.error} />
  if (!drill.data) return <Soft>Looking …</Soft>
  const d = drill.data
  return (
    <>
      <title>{`Drill of ${d.guard} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/rosters">Rosters and contacts</PlainLink> ·{' '}
        <PlainLink href={`/guards/${d.guard}`}>{d.guard}</PlainLink>
      </Above>
      <Heading>{d.ended_at ? `The drill is over: ${d.ended}` : 'The drill goes on: nobody has it yet'}</Heading>
      <Prose>
        {d.started_by} began it at {clock(d.started_at, zone, seconds)}. Nothing is wrong: the guard, its alarms, charts
        and totals stay as they are.
      </Prose>
      {!d.ended_at && keeper && (
        <Row>
          <Button onPress={() => ack.mutate(d.alarm_id, { onSuccess: () => void drill.refetch() })}>I have it</Button>
          <QuietButton onPress={() => stop.mutate(undefined, { onSuccess: () => void drill.refetch() })}>
            Stop drill
          </QuietButton>
        </Row>
      )}
      {(ack.error ?? stop.error) && <Failure error={(ack.error ?? stop.error)!} />}
      <Scroll tabIndex={0} role="region" aria-label="Steps" $above={4}>
        <Table>
          <Columns names={['After', 'Event']} />
          <tbody aria-live="polite">
            {d.steps.map((s) => (
              <tr key={s.at + s.what}>
                <Num>{s.took.toFixed(3)} s</Num>
                <td>
                  {!s.ok && <b>! </b>}
                  {s.what}
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroll>
    </>
  )
}
