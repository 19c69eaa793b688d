import { useNow } from '../api/live'
import { useAlarms, useSignals, useSite, useSparks, useStanding } from '../api/queries'
import { pathOf } from '../api/client'
import { byUrgency } from '../api/words'
import { Failure, Heading, Prose, Soft, Subheading } from '../ui/basics'
import { List } from '../ui/list'
import { AlarmRow } from './alarm-row'
import { AlarmTable } from './alarm-table'

/** All alarms: those that stand, worst first, then those that are over. */
export function Alarms() {
  const now = useNow()
  const zone = useSite().data?.zone ?? 'UTC'
  const standing = useStanding()
  const recent = useAlarms()
  const signals = new Map((useSignals().data ?? []).map((s) => [pathOf(s), s]))
  const sparks = new Map((useSparks().data ?? []).map((s) => [s.signal, s]))
  if (standing.error ?? recent.error) return <Failure error={(standing.error ?? recent.error)!} />
  if (!standing.data || !recent.data) return <Soft>Looking …</Soft>
  const over = recent.data.filter((a) => a.state === 'over')
  return (
    <>
      <title>Alarms · Jaunty Lark</title>
      <Heading>Alarms</Heading>
      {standing.data.length === 0 ? (
        <Prose>Nothing is wrong.</Prose>
      ) : (
        <List aria-label="What is wrong">
          {[...standing.data].sort(byUrgency).map((a) => (
            <AlarmRow
              key={a.id}
              alarm={a}
              signal={signals.get(a.signal)}
              spark={sparks.get(a.signal)}
              zone={zone}
              now={now}
            />
          ))}
        </List>
      )}
      <Subheading>Over</Subheading>
      {over.length === 0 ? <Prose>None yet.</Prose> : <AlarmTable alarms={over} zone={zone} />}
    </>
  )
}
