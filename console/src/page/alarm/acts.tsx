import { Details } from '../../ui/disclosure'
import { useEffect, useRef, useState } from 'react'
import { useLocation } from 'react-router'
import { takeAlarms, useAlarmAct } from '../../api/alarm'
import { type Alarm, api, take } from '../../api/client'
import { useFormDraft } from '../../api/drafts'
import { useGuards } from '../../api/guard'
import { useAct } from '../../api/queries'
import { useSession, useSite } from '../../api/site'
import { clock } from '../../api/words'
import { Button, Failure, PlainLink, Prose, QuietButton, Row, Soft, Subheading } from '../../ui/basics'
import { Choice } from '../../ui/choice'
import { Form, Select, Send, TextInput, useSave } from '../../ui/form'

const of = (id: number) => ({ params: { path: { id } } })
const marks = { '': 'not marked', real: 'real', useful: 'good to know', false: 'false' }
type Mark = keyof typeof marks
const day: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }
const lengths = { '60': '1 hour', '240': '4 hours', '1440': '1 day' }

/** The button that resets an alarm which waits for it. */
export function ResetIt({ alarm }: { alarm: Alarm }) {
  const role = useSession().data?.role
  const reset = useAlarmAct(() => take(api.POST('/api/v1/alarms/{id}/reset', of(alarm.id))))
  if (!alarm.latched || role === 'viewer') return null
  return (
    <Row $above={3}>
      <Button onPress={() => reset.mutate(undefined)}>Reset</Button>
      <Soft>It is back in order and stays until somebody resets it.</Soft>
      {reset.error && <Failure error={reset.error} />}
    </Row>
  )
}

/** Until when an alarm is shelved, and the end of that. */
export function Shelving({ alarm }: { alarm: Alarm }) {
  const keeper = useSession().data?.role !== 'viewer'
  const zone = useSite().data?.zone ?? 'UTC'
  const shelved = useGuards().data?.find((g) => g.name === alarm.guard)?.shelved
  const end = useAct(() =>
    take(api.DELETE('/api/v1/guards/{guard}/shelf', { params: { path: { guard: alarm.guard } } })),
  )
  if (!alarm.guard || !shelved) return null
  return (
    <Row $above={3} data-shelved>
      <span>
        Shelved until {clock(shelved.until!, zone, day)} by {shelved.by}
        {shelved.why && `: ${shelved.why}`}. Until then it tells of nothing but what is worse.
      </span>
      {keeper && (
        <QuietButton onPress={() => end.mutate(undefined)} isDisabled={end.isPending}>
          End the shelving
        </QuietButton>
      )}
      {end.error && <Failure error={end.error} />}
    </Row>
  )
}

/** What a keeper can do about an alarm besides taking it. */
export function AlarmActs({ alarm }: { alarm: Alarm }) {
  const role = useSession().data?.role
  const id = alarm.id
  const mark = useAlarmAct((m: Mark) => take(api.PUT('/api/v1/alarms/{id}/mark', { ...of(id), body: { mark: m } })))
  const back = useAlarmAct(() => take(api.POST('/api/v1/alarms/{id}/hand-back', of(id))))
  const [length, setLength] = useState('60')
  const cause = useFormDraft(`cause of alarm ${id}`)
  const handed = useFormDraft(`hand of alarm ${id}`)
  const shelved = useFormDraft(`shelving by alarm ${id}`)
  const comment = useSave(
    async ({ comment = '' }) =>
      takeAlarms([await take(api.PUT('/api/v1/alarms/{id}/comment', { ...of(id), body: { comment } }))]),
    cause.unsaved,
  )
  // What was typed stays until it is taken.
  const hand = useSave(
    async ({ to = '' }) => takeAlarms([await take(api.POST('/api/v1/alarms/{id}/hand', { ...of(id), body: { to } }))]),
    { done: handed.unsaved.discard },
  )
  const shelve = useSave(
    ({ why = '' }) => {
      const until = new Date(Date.now() + Number(length) * 60_000).toISOString()
      return take(
        api.PUT('/api/v1/guards/{guard}/shelf', { params: { path: { guard: alarm.guard } }, body: { until, why } }),
      )
    },
    { done: shelved.unsaved.discard },
  )
  const { hash } = useLocation()
  const here = useRef<HTMLElement>(null)
  const asked = hash.slice(1)
  // Who asked for one of them by a key writes at once.
  useEffect(() => {
    if (asked) here.current?.querySelector<HTMLInputElement>(`[name="${CSS.escape(asked)}"]`)?.focus()
  }, [asked])
  const failed = [mark, back].find((m) => m.error)?.error
  if (role === 'viewer') return null
  const raised = alarm.state === 'raised'
  return (
    <section aria-label="What to do about it" ref={here}>
      <Subheading>Mark</Subheading>
      <Choice label="Mark" options={marks} value={alarm.mark as Mark} onChange={(m) => mark.mutate(m)} />
      <Details key={asked} title="Cause, hand over, silence for a while" startOpen={asked !== ''}>
        <Form save={comment} draft={cause}>
          <TextInput label="Cause" name="comment" defaultValue={alarm.comment} autoComplete="off" />
          <Send send="Save" sent="Saved." quiet />
        </Form>
        {raised && (
          <Form save={hand} draft={handed}>
            <TextInput
              label="Hand over to"
              name="to"
              autoComplete="off"
              hint="a contact or an e-mail address; they are told"
            />
            <Send send="Hand over" quiet />
          </Form>
        )}
        {raised && alarm.acknowledged_at && (
          <Row $above={4}>
            <QuietButton onPress={() => back.mutate(undefined)}>Hand back</QuietButton>
            <Soft>Nobody has it then, and people are told again.</Soft>
          </Row>
        )}
        {alarm.guard && (
          <Form save={shelve} draft={shelved}>
            <TextInput label="Why" name="why" autoComplete="off" />
            <Select label="Shelve its guard for" value={length} onChange={setLength} options={lengths} />
            <Send send="Shelve" quiet />
          </Form>
        )}
      </Details>
      {failed && <Failure error={failed} />}
      {alarm.guard && (
        <Prose>
          <PlainLink href={`/guards/${alarm.guard}`}>What its guard looks for, and would have raised</PlainLink>
        </Prose>
      )}
    </section>
  )
}
