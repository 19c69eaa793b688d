import { useNavigate, useParams, useSearchParams } from 'react-router'
import { api, pathOf, type Suggestion, take, type Trial } from '../../api/client'
import { useFormDraft } from '../../api/drafts'
import { useTrials } from '../../api/guard'
import { useNow } from '../../api/live'
import { useAct } from '../../api/queries'
import { useSignals } from '../../api/signal'
import { useSession, useSite } from '../../api/site'
import { seen } from '../../api/units'
import { clock, figure, fullTitle, length, shown, inWords } from '../../api/words'
import { seconds, TrialChart, useTrialSuggestion } from './trial-chart'
import {
  Above,
  Button,
  Columns,
  Failure,
  Heading,
  PlainLink,
  Prose,
  QuietButton,
  Row,
  Scroll,
  Soft,
  Subheading,
  Table,
} from '../../ui/basics'
import { Form, Pick, Send, TextInput, useSave } from '../../ui/form'
import { NoPage } from '../../ui/no-page'
import { Removal, Sure } from '../../ui/sure'

/** All trials, and the way to start one. */
export function Trials() {
  const of = useSearchParams()[0].get('of') ?? ''
  const zone = useSite().data?.zone ?? 'UTC'
  const trials = useTrials()
  const signals = useSignals().data ?? []
  const role = useSession().data?.role
  const go = useNavigate()
  const draft = useFormDraft('new trial')
  const start = useSave(
    ({ signal = '', note }) => take(api.POST('/api/v1/trials', { body: { signal, note } })),
    draft.unsaved,
    (t) => void go(`/trials/${t.id}`),
  )
  if (trials.error) return <NoPage error={trials.error} />
  if (!trials.data) return <Soft>Looking …</Soft>
  return (
    <>
      <title>Trials · Jaunty Lark</title>
      <Above>
        <PlainLink href="/alarms">Alarms</PlainLink>
      </Above>
      <Heading>Trials</Heading>
      <Prose>
        Make the thing happen on purpose, several times, and mark when: the limit follows from what was normal and what
        was not.
      </Prose>
      {role !== 'viewer' && (
        <Form draft={draft} save={start}>
          <Pick
            key={signals.length}
            label="Signal"
            name="signal"
            none="which?"
            defaultValue={of}
            options={signals.filter((s) => s.kind === 'number').map((s) => ({ value: pathOf(s), text: fullTitle(s) }))}
          />
          <TextInput label="Note" name="note" optional autoComplete="off" />
          <Send send="Start a trial" />
        </Form>
      )}
      <Subheading>So far</Subheading>
      {trials.data.length === 0 ? (
        <Prose>None yet.</Prose>
      ) : (
        <Scroll>
          <Table>
            <Columns names={['Trial', 'Signal', 'Started', 'Stretches', 'Guard', 'Note']} />
            <tbody>
              {trials.data.map((t) => (
                <tr key={t.id}>
                  <td>
                    <PlainLink href={`/trials/${t.id}`}>{`Trial ${t.id}`}</PlainLink>
                  </td>
                  <td>{t.signal}</td>
                  <td>
                    {clock(t.started_at, zone, seconds)} <Soft>{t.started_by}</Soft>
                  </td>
                  <td>{t.stretches.length}</td>
                  <td>{t.guard ? <PlainLink href={`/guards/${t.guard}`}>{t.guard}</PlainLink> : '–'}</td>
                  <td>{t.note}</td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
    </>
  )
}

/** One trial: mark what is, and take the limit that follows. */
export function TrialPage() {
  const id = Number(useParams().id)
  const trials = useTrials()
  const role = useSession().data?.role
  const mark = useAct((body: { label: '' | 'normal' | 'event'; from?: string; until?: string }) =>
    take(api.POST('/api/v1/trials/{id}/stretches', { params: { path: { id } }, body })),
  )
  if (trials.error) return <NoPage error={trials.error} />
  if (!trials.data) return <Soft>Looking …</Soft>
  const trial = trials.data.find((t) => t.id === id)
  if (!trial) return <NoPage error={new Error(`There is no trial ${id}.`)} />
  const open = trial.stretches.find((s) => !s.until)
  return (
    <>
      <title>{`Trial ${id} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/trials">Trials</PlainLink> ·{' '}
        <PlainLink href={`/signals/${trial.signal}`}>{trial.signal}</PlainLink>
      </Above>
      <Heading>{trial.note || `Trial ${id}`}</Heading>
      {role !== 'viewer' && (
        <Row $above={3}>
          <Button onPress={() => mark.mutate({ label: 'event' })} isDisabled={open?.label === 'event'}>
            It happens now
          </Button>
          <QuietButton onPress={() => mark.mutate({ label: 'normal' })} isDisabled={open?.label === 'normal'}>
            All is normal now
          </QuietButton>
          <QuietButton onPress={() => mark.mutate({ label: '' })} isDisabled={!open}>
            Neither
          </QuietButton>
          <Soft role="status">{open ? `Recording: ${open.label}` : 'Not recording.'}</Soft>
        </Row>
      )}
      {mark.error && <Failure error={mark.error} />}
      <TrialChart
        trial={trial}
        onPick={role === 'viewer' ? undefined : (label, from, until) => mark.mutate({ label, from, until })}
      />
      <Suggested trial={trial} />
      <Stretches trial={trial} />
      {role !== 'viewer' && <RemoveTrial id={id} />}
    </>
  )
}

function RemoveTrial({ id }: { id: number }) {
  const navigate = useNavigate()
  const remove = () => take(api.DELETE('/api/v1/trials/{id}', { params: { path: { id } } }))
  return (
    <Removal
      name={`Remove trial ${id}`}
      says="Its stretches go; readings and guards that were made from it stay."
      act={remove}
      gone={{ kind: 'trial', name: String(id) }}
      done={() => void navigate('/trials')}
    />
  )
}

function Stretches({ trial }: { trial: Trial }) {
  const zone = useSite().data?.zone ?? 'UTC'
  const now = useNow()
  const unmark = (stretch: number) =>
    take(api.DELETE('/api/v1/trials/{id}/stretches/{stretch}', { params: { path: { id: trial.id, stretch } } }))
  if (trial.stretches.length === 0) return <Prose>Nothing is marked yet.</Prose>
  return (
    <>
      <Subheading>Stretches</Subheading>
      <Scroll>
        <Table>
          <Columns names={['Stretch', 'From', 'Length', '']} />
          <tbody>
            {trial.stretches.map((s) => (
              <tr key={s.id} data-stretch={s.label}>
                <td>{s.label}</td>
                <td>{clock(s.from, zone, seconds)}</td>
                <td>{length((s.until ? Date.parse(s.until) : now) - Date.parse(s.from))}</td>
                <td>
                  <Sure
                    name={`Remove stretch ${s.id}`}
                    short="Remove"
                    says="The limit that follows is found anew without it."
                    act={() => unmark(s.id)}
                    gone={{ kind: 'stretch', name: String(s.id) }}
                  />
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroll>
    </>
  )
}

/** What the trial speaks for, and the guard that can be made of it. */
function Suggested({ trial }: { trial: Trial }) {
  const found = useTrialSuggestion(trial)
  const email = useSession().data?.email ?? ''
  const role = useSession().data?.role
  const go = useNavigate()
  const draft = useFormDraft(`guard of trial ${trial.id}`)
  const accept = useSave(
    (f) => {
      const { severity = 'warning', advice, least_gap } = f
      const body = { severity, advice, tell: f.tell?.split(/[\s,]+/), least_gap } as never
      return take(api.POST('/api/v1/trials/{id}/guard', { params: { path: { id: trial.id } }, body }))
    },
    draft.unsaved,
    (g) => void go(`/guards/${g.name ?? ''}`),
  )
  if (found.error) return <Failure error={found.error} />
  const s = found.data
  if (!s) return null
  return (
    <section data-suggestion={s.apart ? 'apart' : 'not apart'}>
      <Subheading>Suggestion</Subheading>
      <Prose>{s.reason}</Prose>
      {s.apart && (
        <>
          <Facts s={s} />
          <Prose>{s.certainty}</Prose>
          {role !== 'viewer' && !trial.guard && (
            <Form draft={draft} save={accept}>
              <Pick
                label="Severity"
                name="severity"
                none="warning"
                options={['advisory', 'critical'].map((v) => ({ value: v, text: v }))}
              />
              <TextInput label="Tell" name="tell" optional defaultValue={email} autoComplete="off" />
              <TextInput label="Advice" name="advice" optional autoComplete="off" />
              <TextInput
                label="Least gap"
                name="least_gap"
                optional
                autoComplete="off"
                hint="between two of its alarms that are told, like 10m"
              />
              <Send send="Add guard"></Send>
            </Form>
          )}
        </>
      )}
    </section>
  )
}

const Facts = ({ s }: { s: Suggestion }) => (
  <Prose>
    <b>
      {s.when.replace(/[-\d.e+]+$/, '')} {figure(seen(s.limit, s.unit))} {shown(s.unit)}
    </b>
    , deadband {figure(s.deadband)}
    {s.on_delay > 0 && `, on-delay ${inWords(s.on_delay)}`}
    {s.off_delay > 0 && `, off-delay ${inWords(s.off_delay)}`}
  </Prose>
)
