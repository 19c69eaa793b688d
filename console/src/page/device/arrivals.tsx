import { api, type Arrival, take } from '../../api/client'
import { useArrivals, useEnrolment, useKits } from '../../api/device'
import { useFormDraft } from '../../api/drafts'
import { useNow } from '../../api/live'
import { useAct } from '../../api/queries'
import { useSession } from '../../api/site'
import { age, counted, say } from '../../api/words'
import {
  Above,
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
import { Form, Pick, Send, TextInput, useSave } from '../../ui/form'
import { NoPage } from '../../ui/no-page'
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
  const draft = useFormDraft(`arrival ${a.name}`)
  const letIn = useSave(
    (body) => take(api.POST('/api/v1/arrivals/{name}/let-in', { params: { path: { name: a.name } }, body })),
    draft.unsaved,
  )
  const turnAway = () => take(api.POST('/api/v1/arrivals/{name}/turn-away', { params: { path: { name: a.name } } }))
  return (
    <Well data-arrival={a.name}>
      <Subheading $flush>
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
        <Form save={letIn} draft={draft}>
          <TextInput label="Title" name="title" optional />
          {kits.length > 0 && (
            <Pick
              label="Kit"
              name="kit"
              none="None"
              options={kits.map((k) => ({ value: k.name, text: k.title || k.name }))}
            />
          )}
          <Send send="Let in" label={`Let in ${a.name}`}>
            {a.state === 'waiting' && (
              <Sure
                name={`Turn away ${a.name}`}
                short="Turn away"
                says={`What it has sent so far, ${counted(a.readings, 'reading', 'readings')}, goes for good, and what it sends is refused. It can still be let in later.`}
                act={turnAway}
              />
            )}
          </Send>
        </Form>
      )}
    </Well>
  )
}

function EnrolmentKey({ owner }: { owner: boolean }) {
  const on = useEnrolment().data?.on
  const make = useAct(() => take(api.POST('/api/v1/enrolment')))
  const end = () => take(api.DELETE('/api/v1/enrolment'))
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
        <Row $above={3}>
          <QuietButton onPress={() => make.mutate(undefined)}>{on ? 'Make a new key' : 'Make a key'}</QuietButton>
          {on && (
            <Sure
              name="End enrolment"
              says="Devices that have the key can announce themselves no more. Those that were let in go on."
              act={end}
            />
          )}
        </Row>
      )}
      {make.error && <Failure error={make.error} />}
    </>
  )
}
