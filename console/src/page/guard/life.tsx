import { useState } from 'react'
import { useNavigate } from 'react-router'
import { api, type Guard, take } from '../../api/client'
import { useFormDraft } from '../../api/drafts'
import { useRecord } from '../../api/guard'
import { useAct } from '../../api/queries'
import { useSession, useSite } from '../../api/site'
import { clock } from '../../api/words'
import { DrillIt } from '../alarm/drill-it'
import { Failure, Prose, QuietButton, Row, Soft, Subheading } from '../../ui/basics'
import { Form, Select, Send, TextInput, useSave } from '../../ui/form'
import { Sure } from '../../ui/sure'

const at = (name: string) => ({ params: { path: { guard: name } } })
const day: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }
const lengths = { '60': '1 hour', '240': '4 hours', '1440': '1 day', '10080': '1 week' }

/** What people made of a guard, and what can be done to it: shelve it, take it out of service, remove it. */
export function GuardLife({ guard }: { guard: Guard }) {
  const name = guard.name ?? ''
  const zone = useSite().data?.zone ?? 'UTC'
  const role = useSession().data?.role
  const record = useRecord(name).data
  const go = useNavigate()
  const [length, setLength] = useState('60')
  const draft = useFormDraft(`quiet of ${name}`)
  const rest = useSave(({ act, why = '' }) => {
    if (act === 'out') return take(api.PUT('/api/v1/guards/{guard}/out-of-service', { ...at(name), body: { why } }))
    const until = new Date(Date.now() + Number(length) * 60_000).toISOString()
    return take(api.PUT('/api/v1/guards/{guard}/shelf', { ...at(name), body: { until, why } }))
  }, draft.unsaved)
  const unshelve = useAct(() => take(api.DELETE('/api/v1/guards/{guard}/shelf', at(name))))
  const back = useAct(() => take(api.DELETE('/api/v1/guards/{guard}/out-of-service', at(name))))
  const missed = useAct(() => take(api.POST('/api/v1/guards/{guard}/missed', { ...at(name), body: {} })))
  const remove = () => take(api.DELETE('/api/v1/guards/{guard}', at(name)))
  const failed = [unshelve, back, missed].find((m) => m.error)?.error
  return (
    <section data-guard-life>
      <Subheading>Record</Subheading>
      {record && <Prose>In the last month: {record.words}.</Prose>}
      {guard.shelved && (
        <Prose>
          <b>Shelved</b> until {clock(guard.shelved.until!, zone, day)} by {guard.shelved.by}: {guard.shelved.why}
        </Prose>
      )}
      {guard.out_of_service && (
        <Prose>
          <b>Out of service</b> since {clock(guard.out_of_service.at, zone, day)} by {guard.out_of_service.by}:{' '}
          {guard.out_of_service.why}
        </Prose>
      )}
      <DrillIt guard={name} />
      {failed && <Failure error={failed} />}
      {role !== 'viewer' && (
        <>
          {!guard.shelved && !guard.out_of_service && (
            <Form draft={draft} save={rest}>
              <TextInput label="Why" name="why" autoComplete="off" />
              <Select label="Shelve for" value={length} onChange={setLength} options={lengths} />
              <Send send="Shelve" quiet>
                <QuietButton type="submit" name="act" value="out">
                  Take out of service
                </QuietButton>
              </Send>
              <Soft>Shelved, it tells of nothing but what is worse. Out of service, it does not look at all.</Soft>
            </Form>
          )}
          <Row $above={4}>
            {guard.shelved && <QuietButton onPress={() => unshelve.mutate(undefined)}>End the shelving</QuietButton>}
            {guard.out_of_service && (
              <QuietButton onPress={() => back.mutate(undefined)}>Put back into service</QuietButton>
            )}
            <QuietButton onPress={() => missed.mutate(undefined)}>It missed something just now</QuietButton>
          </Row>
          <p role="status">{missed.isSuccess && 'Noted.'}</p>
          <Sure
            name={`Remove the guard ${name}`}
            says="It looks no more, and an alarm of it that stands ends. Its alarms stay in the journal."
            act={remove}
            gone={{ kind: 'guard', name: name }}
            done={() => void go(`/signals/${guard.signal}`)}
          />
        </>
      )}
    </section>
  )
}
