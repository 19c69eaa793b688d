import { useAlarms, useStanding } from '../../api/alarm'
import type { Alarm, Signal } from '../../api/client'
import { useNow } from '../../api/live'
import { useSignals } from '../../api/signal'
import { useSite } from '../../api/site'
import { byUrgency } from '../../api/words'
import { WrongList } from './row'
import { AlarmTable } from './table'
import { Heading, Prose, QuietLink, Row, Soft, Subheading } from '../../ui/basics'
import { NoPage } from '../../ui/no-page'

/** Alarms by the device that they are of; the one with the worst comes first. */
function groups(alarms: Alarm[]): [string, Alarm[]][] {
  const by = new Map<string, Alarm[]>()
  for (const a of [...alarms].sort(byUrgency)) {
    const device = a.signal.split('/')[0] ?? ''
    by.set(device, [...(by.get(device) ?? []), a])
  }
  return [...by]
}

const titleOf = (device: string, signals: Signal[]) =>
  signals.find((s) => s.device === device)?.device_title ?? (device || 'The service')

/** All alarms: those that stand, worst first, then those that are over. */
export function Alarms() {
  const now = useNow()
  const zone = useSite().data?.zone ?? 'UTC'
  const standing = useStanding()
  const recent = useAlarms()
  const signals = useSignals().data ?? []
  if (standing.error ?? recent.error) return <NoPage error={(standing.error ?? recent.error)!} />
  if (!standing.data || !recent.data) return <Soft>Looking …</Soft>
  const over = recent.data.filter((a) => a.state === 'over')
  return (
    <>
      <title>Alarms · Jaunty Lark</title>
      <Heading>Alarms</Heading>
      <Row $above={3}>
        <QuietLink href="/alarms/health">Alarm health</QuietLink>
        <QuietLink href="/trials">Trials</QuietLink>
        <QuietLink href="/journal?kind=alarm">Journal</QuietLink>
      </Row>
      {standing.data.length === 0 && <Prose>Nothing is wrong.</Prose>}
      {groups(standing.data).map(([device, alarms]) => (
        <section key={device} aria-label={titleOf(device, signals)}>
          {groups(standing.data).length > 1 && <Subheading>{titleOf(device, signals)}</Subheading>}
          <WrongList alarms={alarms} signals={signals} zone={zone} now={now} />
        </section>
      ))}
      {standing.data.length > 0 && (
        <Prose>
          <Soft>With an alarm in focus: a takes it, r resets it, s shelves it, c says its cause, arrows go on.</Soft>
        </Prose>
      )}
      <Subheading>Over</Subheading>
      {over.length === 0 ? <Prose>None yet.</Prose> : <AlarmTable alarms={over} zone={zone} />}
    </>
  )
}
