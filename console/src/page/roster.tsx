import { useState } from 'react'
import { useNavigate, useParams } from 'react-router'
import styled from 'styled-components'
import { api, type Roster, type Step, take } from '../api/client'
import { useGuards, useSession, useSite } from '../api/queries'
import {
  listOf,
  saveRoster,
  severities,
  type Severity,
  useContacts,
  usePlan,
  useReachAct,
  useRosters,
} from '../api/reach'
import { clock } from '../api/words'
import {
  Above,
  Button,
  Failure,
  Heading,
  PlainLink,
  Prose,
  QuietButton,
  Row,
  Soft,
  Subheading,
  Well,
} from '../ui/basics'
import { Fields, Form, Select, Written } from '../ui/form'
import { DrillIt } from './drill-it'

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
  if (rosters.error) return <Failure error={rosters.error} />
  if (!rosters.data) return <Soft>Looking …</Soft>
  const found = name === 'new' ? fresh : rosters.data.find((r) => r.name === name)
  if (!found) return <Failure error={new Error(`There is no roster ${name}.`)} />
  return <RosterForm key={name} roster={found} isNew={name === 'new'} />
}

function RosterForm({ roster, isNew }: { roster: Roster; isNew: boolean }) {
  const [draft, setDraft] = useState(roster)
  const keeper = useSession().data?.role !== 'viewer'
  const contacts = useContacts().data ?? []
  const guards = (useGuards().data ?? []).filter((g) => g.tell?.includes(roster.name ?? ''))
  const navigate = useNavigate()
  const save = useReachAct(saveRoster)
  const remove = useReachAct(() =>
    take(api.DELETE('/api/v1/rosters/{roster}', { params: { path: { roster: roster.name! } } })),
  )
  const set = (change: Partial<Roster>) => setDraft({ ...draft, ...change })
  const setStep = (i: number, change: Partial<Step>) =>
    set({ steps: draft.steps.map((s, j) => (j === i ? { ...s, ...change } : s)) })
  const known = contacts.map((c) => c.name).join(', ')
  return (
    <>
      <title>{`${draft.title || draft.name || 'A roster'} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/rosters">Who is told</PlainLink>
      </Above>
      <Heading>{isNew ? 'A new roster' : draft.title || draft.name}</Heading>
      <Two style={{ marginTop: 'var(--gap-4)' }}>
        <Form
          onSubmit={(e) => {
            e.preventDefault()
            save.mutate(draft, { onSuccess: (r) => isNew && void navigate(`/rosters/${r.name}`) })
          }}
        >
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
                draft.steps.length > 1 ? () => set({ steps: draft.steps.filter((_, j) => j !== i) }) : undefined
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
            label="Then tell everybody again every"
            value={draft.repeat ?? '0s'}
            onChange={(v) => set({ repeat: v })}
            hint="until somebody has it; 0s for not"
          />
          <RotationFields draft={draft} set={set} />
          {keeper && (
            <Row>
              <Button type="submit" isDisabled={save.isPending}>
                Keep this roster
              </Button>
              {save.isSuccess && <Soft role="status">Kept.</Soft>}
              {!isNew && (
                <QuietButton onPress={() => remove.mutate(undefined, { onSuccess: () => void navigate('/rosters') })}>
                  Remove it
                </QuietButton>
              )}
            </Row>
          )}
          {(save.error ?? remove.error) && <Failure error={(save.error ?? remove.error)!} />}
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
  const [who, setWho] = useState(s.who.join(', '))
  const [by, setBy] = useState((s.by ?? []).join(', '))
  const [only, setOnly] = useState([...(s.severities ?? []), ...(s.kinds ?? [])].join(', '))
  return (
    <Card>
      <legend>Step {no}</legend>
      <Grid>
        <Written
          label="Who"
          value={who}
          onChange={(v) => {
            setWho(v)
            onChange({ who: listOf(v) })
          }}
          hint={`${known || 'no contacts yet'}; on-duty for whom the rotation names`}
        />
        <Written
          label="By"
          value={by}
          onChange={(v) => {
            setBy(v)
            onChange({ by: listOf(v) })
          }}
          hint="e-mail, text, voice, chat, webhook, push; empty for all"
        />
        <Written
          label="After"
          value={s.after ?? '0s'}
          onChange={(after) => onChange({ after })}
          hint="without anybody having it"
        />
        <Select
          label="For alarms from"
          value={s.from_severity ?? 'advisory'}
          onChange={(v) => onChange({ from_severity: v as Severity })}
          options={severities}
        />
        <Written
          label="For these alone"
          value={only}
          onChange={(v) => {
            setOnly(v)
            const words = listOf(v)
            onChange({
              severities: words.filter((w) => w in severities) as Step['severities'],
              kinds: words.filter((w) => !(w in severities)) as Step['kinds'],
            })
          }}
          hint="warning, critical; limit, silence, fault, reminder; empty for all"
        />
        <Written
          label="Least gap"
          value={s.least_gap ?? '0s'}
          onChange={(least_gap) => onChange({ least_gap })}
          hint="between two messages to an address"
        />
        <Written
          label="At"
          value={s.hours ?? ''}
          onChange={(hours) => onChange({ hours })}
          hint="always; or daily 22:00-07:00"
        />
      </Grid>
      {onRemove && <QuietButton onPress={onRemove}>Take this step out</QuietButton>}
    </Card>
  )
}

function RotationFields({ draft, set }: { draft: Roster; set: (change: Partial<Roster>) => void }) {
  const r = draft.rotation
  const [who, setWho] = useState((r?.who ?? []).join(', '))
  const change = (next: Partial<NonNullable<Roster['rotation']>>) =>
    set({ rotation: { who: [], since: new Date().toISOString().slice(0, 10), at: '09:00', weeks: 1, ...r, ...next } })
  return (
    <Card>
      <legend>On duty in turn</legend>
      <Written
        label="Who"
        value={who}
        onChange={(v) => {
          setWho(v)
          if (listOf(v).length) change({ who: listOf(v) })
          else set({ rotation: undefined })
        }}
        hint="in order; empty for no rotation"
      />
      {r && (
        <Fields style={{ marginTop: 'var(--gap-3)' }}>
          <Written label="The first one from" value={r.since} onChange={(since) => change({ since })} type="date" />
          <Written label="Changes at" value={r.at ?? '00:00'} onChange={(at) => change({ at })} />
          <Written
            label="Weeks each"
            value={String(r.weeks ?? 1)}
            onChange={(v) => change({ weeks: Number(v) || 1 })}
            type="number"
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
    <Well style={{ marginTop: 0 }}>
      <Subheading style={{ marginTop: 0 }}>What that comes to</Subheading>
      <Fields>
        <Written
          label="An alarm raised at"
          value={at}
          onChange={setAt}
          type="datetime-local"
          hint="now when left empty"
        />
        <Select label="How bad" value={severity} onChange={(v) => setSeverity(v as Severity)} options={severities} />
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
