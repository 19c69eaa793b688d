import { type FormEvent } from 'react'
import { api, type Arrival, take } from '../../api/client'
import { useNow } from '../../api/live'
import { useFormDraft } from '../../api/drafts'
import { useAct, useArrivals, useEnrolment, useKits, useSession } from '../../api/queries'
import { age, counted, say } from '../../api/words'
import {
  Above,
  Button,
  Code,
  Failure,
  Heading,
  PlainLink,
  Prose,
  QuietButton,
  Row,
  Soft,
  Subheading,
  Well,
} from '../../ui/basics'
import { NoPage } from '../../ui/no-page'
import { fieldsOf, Form, Pick, TextInput } from '../../ui/form'
import { Sure } from '../../ui/sure'

/** Devices that announced themselves: let them in, or turn them away. */
export function Arrivals() {
  const arrivals = useArrivals()
  const owner = useSession().data?.role === 'owner'
  if (arrivals.error) return <NoPage error={arrivals.error} />
  if (!arrivals.data) return <Soft>Looking …</Soft>
  return (
    <>
      <title>Arrivals · Jaunty Lark</title>
      <Above>
        <PlainLink href="/devices">Devices</PlainLink>
      </Above>
      <Heading>Arrivals</Heading>
      {arrivals.data.length === 0 && (
        <Prose>Nobody waits. A device that has the enrolment key and a name nobody knows appears here.</Prose>
      )}
      {arrivals.data.map((a) => (
        <One key={a.id} arrival={a} owner={owner} />
      ))}
      <EnrolmentKey owner={owner} />
    </>
  )
}

function One({ arrival: a, owner }: { arrival: Arrival; owner: boolean }) {
  const now = useNow()
  const kits = useKits().data ?? []
  const letIn = useAct((body: { kit?: string; title?: string }) =>
    take(api.POST('/api/v1/arrivals/{name}/let-in', { params: { path: { name: a.name } }, body })),
  )
  const turnAway = useAct(() =>
    take(api.POST('/api/v1/arrivals/{name}/turn-away', { params: { path: { name: a.name } } })),
  )
  const draft = useFormDraft(`arrival ${a.name}`)
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    letIn.mutate(fieldsOf(e.currentTarget), { onSuccess: draft.unsaved.done })
  }
  const problem = letIn.error
  return (
    <Well data-arrival={a.name}>
      <Subheading style={{ marginTop: 0 }}>
        {a.name} <Soft>{a.state === 'turned away' && '· turned away'}</Soft>
      </Subheading>
      <Prose>
        {a.former ? 'It was removed, and sends again with its old key.' : 'Nobody knows it; it has the enrolment key.'}{' '}
        It came over {a.protocol} from {a.address}, last {age(a.last_at, now)}. {a.readings} readings are kept
        {a.dropped > 0 && `, ${a.dropped} older ones were dropped`}.
      </Prose>
      {a.signals.length > 0 && (
        <Prose>
          It sends{' '}
          {a.signals.map((s) => (s.text ? `${s.name} “${s.text}”` : `${s.name} ${say(s.value, s.unit)}`)).join(', ')}.
        </Prose>
      )}
      {owner && (
        <Form onSubmit={submit} draft={draft}>
          <TextInput label="Title" name="title" optional />
          {kits.length > 0 && (
            <Pick
              label="Kit"
              name="kit"
              none="None"
              options={kits.map((k) => ({ value: k.name, text: k.title || k.name }))}
            />
          )}
          <Row>
            <Button type="submit" isDisabled={letIn.isPending} aria-label={`Let in ${a.name}`}>
              Let in
            </Button>
            {a.state === 'waiting' && (
              <Sure
                name={`Turn away ${a.name}`}
                short="Turn away"
                says={`What it has sent so far, ${counted(a.readings, 'reading', 'readings')}, goes for good, and what it sends is refused. It can still be let in later.`}
                act={() => turnAway.mutateAsync(undefined)}
                error={turnAway.error}
                done={() => undefined}
              />
            )}
          </Row>
        </Form>
      )}
      {problem && <Failure error={problem} />}
    </Well>
  )
}

function EnrolmentKey({ owner }: { owner: boolean }) {
  const on = useEnrolment().data?.on
  const make = useAct(() => take(api.POST('/api/v1/enrolment')))
  const end = useAct(() => take(api.DELETE('/api/v1/enrolment')))
  return (
    <>
      <Subheading>Enrolment key</Subheading>
      <Prose>
        {on
          ? 'There is one: devices that have it may announce themselves under a name of their own.'
          : 'There is none, so devices must be added by name.'}
      </Prose>
      {make.data?.key && (
        <>
          <Prose>The new key, told once:</Prose>
          <Code data-key>{make.data.key}</Code>
        </>
      )}
      {owner && (
        <Row style={{ marginTop: 12 }}>
          <QuietButton onPress={() => make.mutate(undefined)}>{on ? 'Make a new key' : 'Make a key'}</QuietButton>
          {on && (
            <Sure
              name="End enrolment"
              says="Devices that have the key can announce themselves no more. Those that were let in go on."
              act={() => end.mutateAsync(undefined)}
              error={end.error}
              done={() => undefined}
            />
          )}
        </Row>
      )}
      {make.error && <Failure error={make.error} />}
    </>
  )
}
