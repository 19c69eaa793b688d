import { useState } from 'react'
import { useNavigate, useParams } from 'react-router'
import styled from 'styled-components'
import { api, type Roster, type Step, take } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { useGuards } from '../../api/guard'
import { lookAtRoster, putRoster, severities, type Severity, useContacts, usePlan, useRosters } from '../../api/people'
import { useSession, useSite } from '../../api/site'
import { clock, inWords } from '../../api/words'
import { DrillIt } from '../alarm/drill-it'
import { Above, Failure, Heading, PlainLink, Prose, QuietButton, Row, Soft, Subheading, Well } from '../../ui/basics'
import { Changing, saveAsNew, type SaveUnder } from '../../ui/changing'
import { Fields, Form, Select, Send, useSave, Written } from '../../ui/form'
import { ListField } from '../../ui/list-field'
import { NoPage } from '../../ui/no-page'
import { NumberField } from '../../ui/number'
import { Removal } from '../../ui/sure'

const Card = styled.fieldset`
  border: var(--hair);
  border-radius: var(--radius);
  padding: var(--gap-3) var(--gap-4);
  margin: 0;
  min-width: 0;
  legend {
    font-weight: 620;
    padding: 0 var(--gap-2);
  }
`
const Two = styled.div`
  display: grid;
  margin-top: var(--gap-4);
  grid-template-columns: minmax(0, 1.2fr) minmax(0, 1fr);
  gap: var(--gap-5);
  @media (max-width: 1000px) {
    grid-template-columns: minmax(0, 1fr);
  }
  form {
    max-width: none;
  }
`
const Grid = styled.div`
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: var(--gap-3) var(--gap-4);
  align-items: start;
  margin-bottom: var(--gap-3);
  @media (max-width: 480px) {
    grid-template-columns: minmax(0, 1fr);
  }
  input,
  select {
    width: 100%;
    min-width: 0;
    box-sizing: border-box;
  }
`
const freshStep: Step = { who: [], by: [], hours: '', from_severity: 'advisory', after: '0s' }
const fresh: Roster = { name: '', title: '', steps: [{ ...freshStep }], repeat: '10m' } as unknown as Roster

/** One roster: its steps, and in words what they come to. */
export function RosterPage() {
  const { roster: name } = useParams()
  const rosters = useRosters()
  if (rosters.error) return <NoPage error={rosters.error} />
  if (!rosters.data) return <Soft>Looking …</Soft>
  const found = name === 'new' ? fresh : rosters.data.find((r) => r.name === name)
  if (!found) return <NoPage error={new Error(`There is no roster ${name}.`)} />
  if (found === fresh) return <RosterForm key={name} roster={fresh} />
  return (
    <Changing key={name} of={`roster ${name}`} look={() => lookAtRoster(name!)} kept={found}>
      {(begun, save) => <RosterForm roster={begun} saveUnder={save} />}
    </Changing>
  )
}

function RosterForm({ roster, saveUnder = saveAsNew }: { roster: Roster; saveUnder?: SaveUnder }) {
  const isNew = saveUnder === saveAsNew
  const [draft, setDraft, unsaved] = useDraft(`roster ${roster.name}`, roster)
  const keeper = useSession().data?.role !== 'viewer'
  const contacts = useContacts().data ?? []
  const guards = (useGuards().data ?? []).filter((g) => g.tell?.includes(roster.name ?? ''))
  const navigate = useNavigate()
  const save = useSave(
    () => saveUnder((header) => putRoster(draft, header)),
    unsaved,
    (r) => isNew && void navigate(`/rosters/${r.name}`),
  )
  const remove = () => take(api.DELETE('/api/v1/rosters/{roster}', { params: { path: { roster: roster.name! } } }))
  const set = (change: Partial<Roster>) => setDraft({ ...draft, ...change })
  const setStep = (i: number, change: Partial<Step>) =>
    set({ steps: draft.steps.map((s, j) => (j === i ? { ...s, ...change } : s)) })
  const known = contacts.map((c) => c.name).join(', ')
  return (
    <>
      <title>{`${draft.title || draft.name || 'A roster'} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/rosters">Rosters and contacts</PlainLink>
      </Above>
      <Heading>{isNew ? 'New roster' : draft.title || draft.name}</Heading>
      <Two>
        <Form may={keeper} unsaved={unsaved} save={save}>
          {isNew && (
            <Written label="Name" value={draft.name ?? ''} onChange={(v) => set({ name: v })} hint="like glasshouse" />
          )}
          {draft.steps.map((s, i) => (
            <StepFields
              key={i}
              step={s}
              no={i + 1}
              known={known}
              onChange={(c) => setStep(i, c)}
              onRemove={
                keeper && draft.steps.length > 1
                  ? () => set({ steps: draft.steps.filter((_, j) => j !== i) })
                  : undefined
              }
            />
          ))}
          {keeper && (
            <Row>
              <QuietButton onPress={() => set({ steps: [...draft.steps, { ...freshStep, after: '10m' }] })}>
                Add a step
              </QuietButton>
            </Row>
          )}
          <Written
            label="Repeat every"
            value={inWords(draft.repeat ?? 0)}
            onChange={(v) => set({ repeat: v })}
            hint="until somebody has it; 0s for not"
          />
          <RotationFields draft={draft} set={set} />
          <Send send="Save" sent="Saved." />
          {keeper && !isNew && (
            <Removal
              name={`Remove the roster ${roster.title || roster.name}`}
              says="Nobody is told by it any more. What was told stays in the notices."
              act={remove}
              gone={{ kind: 'roster', name: roster.name! }}
              done={() => void navigate('/rosters')}
            />
          )}
        </Form>
        <div>
          <Plan draft={draft} />
          {!isNew && (
            <>
              <Subheading>Guards that tell it</Subheading>
              {guards.length === 0 && <Prose>None yet: name it in a guard’s “Tell”.</Prose>}
              <ul>
                {guards.map((g) => (
                  <li key={g.name}>
                    <PlainLink href={`/guards/${g.name}`}>{g.name}</PlainLink>
                  </li>
                ))}
              </ul>
              {guards[0] && <DrillIt guard={guards[0].name ?? ''} />}
            </>
          )}
        </div>
      </Two>
    </>
  )
}

type StepProps = {
  step: Step
  no: number
  known: string
  onChange: (change: Partial<Step>) => void
  onRemove?: () => void
}

function StepFields({ step: s, no, known, onChange, onRemove }: StepProps) {
  return (
    <Card>
      <legend>Step {no}</legend>
      <Grid>
        <ListField
          label="Contacts"
          value={s.who}
          onChange={(who) => onChange({ who })}
          hint={`${known || 'no contacts yet'}; on-duty for whom the rotation names`}
        />
        <ListField
          label="Carriers"
          value={s.by ?? []}
          onChange={(by) => onChange({ by: by as Step['by'] })}
          hint="e-mail, text, voice, chat, webhook, push; all when empty"
        />
        <Written
          label="Delay"
          value={inWords(s.after ?? 0)}
          onChange={(after) => onChange({ after })}
          hint="since the alarm, while nobody has it"
        />
        <Select
          label="Lowest severity"
          value={s.from_severity ?? 'advisory'}
          onChange={(v) => onChange({ from_severity: v as Severity })}
          options={severities}
        />
        <ListField
          label="Only for"
          value={[...(s.severities ?? []), ...(s.kinds ?? [])]}
          onChange={(words) =>
            onChange({
              severities: words.filter((w) => w in severities) as Step['severities'],
              kinds: words.filter((w) => !(w in severities)) as Step['kinds'],
            })
          }
          hint="warning, critical; limit, silence, fault, reminder; all when empty"
        />
        <Written
          label="Least gap"
          value={inWords(s.least_gap ?? 0)}
          onChange={(least_gap) => onChange({ least_gap })}
          hint="between two messages to an address"
        />
        <Written
          label="Hours"
          value={s.hours ?? ''}
          onChange={(hours) => onChange({ hours })}
          hint="always; or daily 22:00-07:00"
        />
      </Grid>
      {onRemove && <QuietButton onPress={onRemove}>Remove step</QuietButton>}
    </Card>
  )
}

function RotationFields({ draft, set }: { draft: Roster; set: (change: Partial<Roster>) => void }) {
  const r = draft.rotation
  const change = (next: Partial<NonNullable<Roster['rotation']>>) =>
    set({ rotation: { who: [], since: new Date().toISOString().slice(0, 10), at: '09:00', weeks: 1, ...r, ...next } })
  return (
    <Card>
      <legend>On duty in turn</legend>
      <ListField
        label="Contacts in turn"
        value={r?.who ?? []}
        onChange={(who) => (who.length ? change({ who }) : set({ rotation: undefined }))}
        hint="in order; no rotation when empty"
      />
      {r && (
        <Fields $above={3}>
          <Written label="First day" value={r.since} onChange={(since) => change({ since })} type="date" />
          <Written label="Handover time" value={r.at ?? '00:00'} onChange={(at) => change({ at })} />
          <NumberField
            label="Weeks each"
            whole
            least={1}
            value={r.weeks ?? 1}
            onChange={(weeks) => change({ weeks })}
          />
        </Fields>
      )}
    </Card>
  )
}

/** In words: who would be told of an alarm, and when, if nobody took it. */
function Plan({ draft }: { draft: Roster }) {
  const zone = useSite().data?.zone ?? 'UTC'
  const [at, setAt] = useState('')
  const [severity, setSeverity] = useState<Severity>('critical')
  const { name, steps, repeat, rotation } = draft
  const order = { name: name || 'new', steps, repeat, rotation } as Roster
  const plan = usePlan(order, at ? new Date(at).toISOString() : '', severity)
  return (
    <Well $flush>
      <Subheading $flush>Preview</Subheading>
      <Fields>
        <Written label="An alarm raised at" value={at} onChange={setAt} type="datetime-local" hint="now when empty" />
        <Select label="Severity" value={severity} onChange={(v) => setSeverity(v as Severity)} options={severities} />
      </Fields>
      {plan.error && <Failure error={plan.error} />}
      {plan.data && !plan.error && (
        <ol aria-live="polite">
          {plan.data.calls.map((c) => (
            <li key={c.at + c.words}>
              <b>{c.after}</b>{' '}
              <Soft>{clock(c.at, zone, { weekday: 'short', hour: '2-digit', minute: '2-digit' })}</Soft>
              <br />
              {c.words}
            </li>
          ))}
          {plan.data.calls.length === 0 && <li>Nobody is told: no step is for alarms as bad as this.</li>}
        </ol>
      )}
    </Well>
  )
}
