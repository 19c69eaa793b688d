import { useState } from 'react'
import { type Alarm, api, take } from '../api/client'
import { useAlarmAct, useGuardAct, useSession } from '../api/queries'
import { Button, Failure, PlainLink, Prose, QuietButton, Row, Soft, Subheading } from '../ui/basics'
import { Choice } from '../ui/choice'
import { Form, Select, TextInput, fieldsOf } from '../ui/form'

const of = (id: number) => ({ params: { path: { id } } })
const marks = { '': 'not marked', real: 'real', useful: 'good to know', false: 'false' }
type Mark = keyof typeof marks
const lengths = { '60': '1 hour', '240': '4 hours', '1440': '1 day' }

/** The button that resets an alarm which waits for it. */
export function ResetIt({ alarm }: { alarm: Alarm }) {
  const role = useSession().data?.role
  const reset = useAlarmAct(() => take(api.POST('/api/v1/alarms/{id}/reset', of(alarm.id))))
  if (!alarm.latched || role === 'viewer') return null
  return (
    <Row style={{ marginTop: 'var(--gap-3)' }}>
      <Button onPress={() => reset.mutate(undefined)}>Reset it</Button>
      <Soft>It is back in order and stays until somebody resets it.</Soft>
      {reset.error && <Failure error={reset.error} />}
    </Row>
  )
}

/** What a keeper can do about an alarm besides taking it. */
export function AlarmActs({ alarm }: { alarm: Alarm }) {
  const role = useSession().data?.role
  const id = alarm.id
  const comment = useAlarmAct((text: string) =>
    take(api.PUT('/api/v1/alarms/{id}/comment', { ...of(id), body: { comment: text } })),
  )
  const hand = useAlarmAct((to: string) => take(api.POST('/api/v1/alarms/{id}/hand', { ...of(id), body: { to } })))
  const mark = useAlarmAct((m: Mark) => take(api.PUT('/api/v1/alarms/{id}/mark', { ...of(id), body: { mark: m } })))
  const back = useAlarmAct(() => take(api.POST('/api/v1/alarms/{id}/hand-back', of(id))))
  const [length, setLength] = useState('60')
  const shelve = useGuardAct((why: string) =>
    take(
      api.PUT('/api/v1/guards/{guard}/shelf', {
        params: { path: { guard: alarm.guard } },
        body: { until: new Date(Date.now() + Number(length) * 60_000).toISOString(), why },
      }),
    ),
  )
  const failed = [comment, hand, mark, shelve, back].find((m) => m.error)?.error
  if (role === 'viewer') return null
  const raised = alarm.state === 'raised'
  const submit = (act: (text: string) => void, field: string) => (e: React.FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    act(fieldsOf(e.currentTarget)[field] ?? '')
    e.currentTarget.reset()
  }
  return (
    <section aria-label="What to do about it">
      {failed && <Failure error={failed} />}
      <Subheading>What was it worth?</Subheading>
      <Choice label="What it was worth" options={marks} value={alarm.mark as Mark} onChange={(m) => mark.mutate(m)} />
      <details open={location.hash !== '' || undefined}>
        <summary>Say the cause, hand it on, shelve it</summary>
        <Form onSubmit={submit((text) => comment.mutate(text), 'comment')} style={{ marginTop: 'var(--gap-3)' }}>
          <TextInput label="The cause" name="comment" defaultValue={alarm.comment} autoComplete="off" />
          <Row>
            <QuietButton type="submit">Keep that</QuietButton>
          </Row>
        </Form>
        {raised && (
          <Form onSubmit={submit((to) => hand.mutate(to), 'to')} style={{ marginTop: 'var(--gap-4)' }}>
            <TextInput
              label="Hand it to"
              name="to"
              autoComplete="off"
              hint="a contact or an e-mail address; they are told"
            />
            <Row>
              <QuietButton type="submit">Hand it on</QuietButton>
            </Row>
          </Form>
        )}
        {raised && alarm.acknowledged_at && (
          <Row style={{ marginTop: 'var(--gap-4)' }}>
            <QuietButton onPress={() => back.mutate(undefined)}>Hand it back</QuietButton>
            <Soft>Nobody has it then, and people are told again.</Soft>
          </Row>
        )}
        {alarm.guard && (
          <Form onSubmit={submit((why) => shelve.mutate(why), 'why')} style={{ marginTop: 'var(--gap-4)' }}>
            <TextInput label="Shelve its guard, because" name="why" autoComplete="off" />
            <Select label="For" value={length} onChange={setLength} options={lengths} />
            <Row>
              <QuietButton type="submit">Shelve it</QuietButton>
            </Row>
          </Form>
        )}
      </details>
      {alarm.guard && (
        <Prose>
          <PlainLink href={`/guards/${alarm.guard}`}>What its guard looks for, and would have raised</PlainLink>
        </Prose>
      )}
    </section>
  )
}
