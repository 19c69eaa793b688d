import { useNavigate } from 'react-router'
import { useAcknowledge, useAlarmAct } from '../../api/alarm'
import { type Alarm, api, type Guard, pathOf, type Signal, type Spark as Points, take } from '../../api/client'
import { useSparks } from '../../api/signal'
import { useSession } from '../../api/site'
import { byUrgency, clock, length, limitsOf, reads, readsIn, sentence, shown, unitWord } from '../../api/words'
import { Spark } from '../../chart/spark'
import { Button, Failure, PlainLink, QuietLink, Soft } from '../../ui/basics'
import { Figure, Item, List, Words } from '../../ui/list'
import { Shape, Silent, toneOf } from '../../ui/severity'

/** What was done about an alarm, in words. */
export function whoHasIt(a: Alarm, zone: string) {
  if (a.acknowledged_at) return `${a.acknowledged_by} has it since ${clock(a.acknowledged_at, zone)}`
  return a.state === 'raised' ? 'nobody has it yet' : 'nobody took it'
}

/** The button with which a keeper takes an alarm; focus goes on to the alarm's own page. */
export function HaveIt({ alarm }: { alarm: Alarm }) {
  const session = useSession()
  const acknowledge = useAcknowledge()
  if (alarm.acknowledged_at || session.data?.role === 'viewer')
    return <QuietLink href={`/alarms/${alarm.id}`}>Open</QuietLink>
  const take = () =>
    acknowledge.mutate(alarm.id, { onSuccess: () => document.getElementById(`alarm-${alarm.id}`)?.focus() })
  return (
    <>
      <Button onPress={take} isDisabled={acknowledge.isPending} aria-label={`I have it: ${alarm.sentence}`}>
        I have it
      </Button>
      {acknowledge.error && <Failure error={acknowledge.error} />}
    </>
  )
}

type Props = { alarm: Alarm; signal?: Signal; spark?: Points; zone: string; now: number }

/** One alarm that stands, in a list. */
function AlarmRow({ alarm, signal, spark, zone, now }: Props) {
  return (
    <Item>
      <Shape of={alarm.severity} />
      <Words>
        <b>
          <PlainLink id={`alarm-${alarm.id}`} href={`/alarms/${alarm.id}`}>
            {sentence(alarm)}
          </PlainLink>
        </b>
        <br />
        <Soft>
          for {length(now - Date.parse(alarm.raised_at))} · {whoHasIt(alarm, zone)}
          {alarm.latched && ' · back in order, waits to be reset'}
          {alarm.handed_to && ` · for ${alarm.handed_to}`}
          {alarm.shelved && <Silent word="shelved" />}
        </Soft>
      </Words>
      <Figure $tone={toneOf(alarm.severity)}>
        {alarm.kind === 'guard' ? (
          <>
            {signal ? reads(signal) : '–'} <small>{signal ? readsIn(signal) : shown(alarm.unit)}</small>
          </>
        ) : (
          length(now - Date.parse(alarm.raised_at) + (alarm.unit === 's' ? alarm.value * 1000 : 0))
        )}
      </Figure>
      <Spark
        points={spark}
        limits={limitsOf(alarm.when)}
        now={signal?.value}
        width={180}
        height={40}
        tone={toneOf(alarm.severity)}
      />
      <div>
        <HaveIt alarm={alarm} />
      </div>
    </Item>
  )
}

type ListProps = { alarms: Alarm[]; signals: Signal[]; zone: string; now: number }

/** What stands, worst first. With an alarm's name in focus, a takes it, r resets it, s shelves it, c says its cause, and
 *  the arrow keys go from one to the next. */
export function WrongList({ alarms, signals, zone, now }: ListProps) {
  const byPath = new Map(signals.map((s) => [pathOf(s), s]))
  const sparks = new Map((useSparks().data ?? []).map((s) => [s.signal, s]))
  const acknowledge = useAcknowledge()
  const reset = useAlarmAct((id: number) => take(api.POST('/api/v1/alarms/{id}/reset', { params: { path: { id } } })))
  const go = useNavigate()
  const onKeyDown = (e: React.KeyboardEvent<HTMLElement>) => {
    const id = Number(/^alarm-(\d+)$/.exec((e.target as HTMLElement).id)?.[1])
    if (!id || e.ctrlKey || e.metaKey || e.altKey) return
    const links = [...e.currentTarget.querySelectorAll<HTMLElement>('a[id^=alarm-]')]
    const step = { ArrowDown: 1, ArrowUp: -1 }[e.key]
    if (e.key === 'a') acknowledge.mutate(id)
    else if (e.key === 'r') reset.mutate(id)
    else if (e.key === 's') void go(`/alarms/${id}#why`)
    else if (e.key === 'c') void go(`/alarms/${id}#comment`)
    else if (step) links[links.indexOf(e.target as HTMLElement) + step]?.focus()
    else return
    e.preventDefault()
  }
  return (
    <>
      {(acknowledge.error ?? reset.error) && <Failure error={(acknowledge.error ?? reset.error)!} />}
      <List aria-label="What is wrong" onKeyDown={onKeyDown}>
        {[...alarms].sort(byUrgency).map((a) => (
          <AlarmRow
            key={a.id}
            alarm={a}
            signal={byPath.get(a.signal)}
            spark={sparks.get(a.signal)}
            zone={zone}
            now={now}
          />
        ))}
      </List>
    </>
  )
}

type SignalProps = { signal: Signal; spark?: Points; guards?: Guard[] | null; ageText: string }

/** One signal in a list. */
export function SignalRow({ signal, spark, guards, ageText }: SignalProps) {
  const path = pathOf(signal)
  const limits = (guards ?? [])
    .filter((g) => g.signal === path)
    .flatMap((g) => [g, ...(g.rungs ?? [])].flatMap((r) => limitsOf(r.when)))
  return (
    <Item $dense>
      <span />
      <div>
        <PlainLink href={`/signals/${path}`}>
          {signal.device_title} <Soft>· {lower(signal.title)}</Soft>
        </PlainLink>
        {signal.silent_since && <Silent />}
      </div>
      <Figure $dense data-signal={path}>
        {reads(signal)} <small>{unitWord(signal)}</small>
      </Figure>
      <Spark points={spark} limits={limits} now={signal.value} width={180} height={26} />
      <Soft>{ageText}</Soft>
    </Item>
  )
}

/** A title in the middle of a line: "Air temperature" is "air temperature", "CO2" stays. */
const lower = (title: string) => (/^.[a-z]/.test(title) ? title.charAt(0).toLowerCase() + title.slice(1) : title)
