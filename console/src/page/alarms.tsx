import { useNow } from '../api/live'
import { useAlarms, useSignals, useSite, useStanding } from '../api/queries'
import { Failure, Heading, Prose, Soft, Subheading } from '../ui/basics'
import { WrongList } from './alarm-row'
import { AlarmTable } from './alarm-table'

/** All alarms: those that stand, worst first, then those that are over. */
export function Alarms() {
  const now = useNow()
  const zone = useSite().data?.zone ?? 'UTC'
  const standing = useStanding()
  const recent = useAlarms()
  const signals = useSignals().data ?? []
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
        <WrongList alarms={standing.data} signals={signals} zone={zone} now={now} />
      )}
      <Subheading>Over</Subheading>
      {over.length === 0 ? <Prose>None yet.</Prose> : <AlarmTable alarms={over} zone={zone} />}
    </>
  )
}
