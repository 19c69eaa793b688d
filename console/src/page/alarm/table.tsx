import type { Alarm } from '../../api/client'
import { clock, ending, length, sentence } from '../../api/words'
import { Columns, PlainLink, Scroll, Soft, Table } from '../../ui/basics'
import { Shape } from '../../ui/severity'
import { whoHasIt } from './row'

/** Alarms of the past, newest first. */
export const AlarmTable = ({ alarms, zone }: { alarms: Alarm[]; zone: string }) => (
  <Scroll>
    <Table>
      <Columns names={['Raised', 'Lasted', 'Severity', 'What', 'Who', 'Mark']} />
      <tbody>
        {alarms.map((a) => (
          <tr key={a.id}>
            <td>{clock(a.raised_at, zone, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })}</td>
            <td>
              {a.cleared_at ? length(Date.parse(a.cleared_at) - Date.parse(a.raised_at)) : 'still'}
              {a.cleared_at && ending(a) !== 'over' && <Soft> {ending(a)}</Soft>}
            </td>
            <td>
              <Shape of={a.severity} /> {a.severity}
            </td>
            <td>
              <PlainLink href={`/alarms/${a.id}`}>{sentence(a)}</PlainLink>
            </td>
            <td>{whoHasIt(a, zone)}</td>
            <td>
              {a.mark}
              {a.learned_late && <Soft> learned late</Soft>}
              {a.shelved && <Soft> shelved</Soft>}
            </td>
          </tr>
        ))}
      </tbody>
    </Table>
  </Scroll>
)
