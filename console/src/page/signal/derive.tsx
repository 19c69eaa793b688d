import { askOnly } from '../../api/kept'
import styled from 'styled-components'
import { useNavigate, useSearchParams } from 'react-router'
import { api, pathOf, type Recipe, type RecipeKind, type Signal, take } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { readNumber } from '../../api/numbers'
import { useRecipeKinds, useSignals } from '../../api/signal'
import { useSession } from '../../api/site'
import { written as inUnit } from '../../api/units'
import { capital } from '../../api/words'
import { Button, Failure, Heading, Prose, QuietButton, Row, Soft } from '../../ui/basics'
import { Fields, Form, Select, Send, useSave, Written } from '../../ui/form'
import { NoPage } from '../../ui/no-page'
import { NumberField } from '../../ui/number'

const Placed = styled.div<{ $points: boolean }>`
  white-space: pre-wrap;
  ${(p) => p.$points && 'font-family: monospace;'}
`

type Input = { as: string; signal: string }

/** What the settings of kinds are called, and how they are written. */
const settings: Record<string, { label: string; hint?: string; number?: boolean; options?: string[] }> = {
  when: { label: 'When it is', hint: 'above 11, below 3, outside 3..9' },
  deadband: { label: 'Deadband', number: true, hint: 'how far back past the limit' },
  window: { label: 'Over the last', hint: 'like 5m or 1d' },
  limit: { label: 'Until it meets', number: true },
  over: { label: 'Over', options: ['water', 'ice', 'either'] },
  curve: { label: 'Curve', options: ['li-ion', 'lead-acid', 'lifepo4', 'own'] },
  points: { label: 'Own points', hint: 'volts of a cell = percent: 3.3=0 3.7=40 4.2=100' },
  cells: { label: 'Cells in a row', number: true },
  divider: { label: 'Divider', number: true, hint: 'how many times the measured voltage it has' },
  edge: { label: 'Which end', options: ['middle', 'low', 'high'] },
  count: { label: 'Count', options: ['cycles', 'on-time'] },
  last: { label: 'Of the last … readings', number: true },
  formula: { label: 'Formula', hint: 'over the names above, in CEL: (a - b) * 2.0, a > 3.0 && on' },
  unit: { label: 'Unit', hint: 'a code like Cel, where it cannot be told' },
}

/** Declares a signal that is computed from others. */
export function Derive() {
  const [query] = useSearchParams()
  const kinds = useRecipeKinds()
  const signals = useSignals()
  const keeper = useSession().data?.role !== 'viewer'
  const failed = kinds.error ?? signals.error
  if (failed) return <NoPage error={failed} />
  if (!kinds.data || !signals.data) return <Soft>Looking …</Soft>
  if (!keeper) return <Prose>Keepers and owners add derived signals.</Prose>
  return (
    <>
      <title>New derived signal · Jaunty Lark</title>
      <Heading>New derived signal</Heading>
      <Prose>
        It is made of others and computed with every reading, and for all that is there already. Guards, charts and
        totals take it like any other.
      </Prose>
      <DeriveForm kinds={kinds.data} signals={signals.data} of={query.get('of') ?? ''} />
    </>
  )
}

const letters = 'abcdefghijklmnopqrstuvwxyz'
const namesOf = (kind: RecipeKind) => (kind.roles.length > 0 ? kind.roles.map((r) => r.name) : ['a', 'b'])

type Draft = {
  kind: string
  inputs: Input[]
  said: Record<string, string | number | undefined> // settings by their names
  device: string
  name: string
  title: string
}

function DeriveForm({ kinds, signals, of }: { kinds: RecipeKind[]; signals: Signal[]; of: string }) {
  const go = useNavigate()
  const first = kinds.find((k) => k.name === 'moving-mean') ?? kinds[0]!
  const [d, setDraft, unsaved] = useDraft<Draft>(`derived of ${of}`, () => ({
    kind: first.name,
    inputs: namesOf(first).map((as, i) => ({ as, signal: i === 0 ? of : '' })),
    said: {},
    device: of.split('/')[0] ?? '',
    name: '',
    title: '',
  }))
  const put = (change: Partial<Draft>) => setDraft((old) => ({ ...old, ...change }))
  const { inputs } = d
  const kind = kinds.find((k) => k.name === d.kind) ?? first
  const written = JSON.stringify(d)
  const choose = (name: string) => {
    const next = kinds.find((k) => k.name === name)!
    put({ kind: name, inputs: namesOf(next).map((as, i) => ({ as, signal: inputs[i]?.signal ?? '' })) })
  }
  const order = (attempt: boolean) =>
    take(
      api.PUT('/api/v1/signals/{device}/{signal}/recipe', {
        params: { path: { device: d.device, signal: d.name } },
        body: { title: d.title, recipe: recipeOf(kind, d), try: attempt },
        ...(attempt ? { fetch: askOnly } : {}),
      }),
    )
  const declare = useSave(
    () => order(false),
    unsaved,
    (made) => void go(`/signals/${pathOf(made)}`),
  )
  const attempt = useSave(async () => {
    declare.reset()
    return { written, of: await order(true) }
  })
  const devices = [...new Map(signals.map((s) => [s.device, s.device_title])).entries()]
  const usable = signals.filter((s) => s.kind === 'number' || s.kind === 'switch')
  const listed = Object.fromEntries([
    ['', 'which?'],
    ...usable.map((s) => [pathOf(s), `${s.device_title}: ${s.title}${s.unit && ` (${inUnit(s.unit)})`}`]),
  ])
  const set = (i: number, change: Partial<Input>) =>
    put({ inputs: inputs.map((old, k) => (k === i ? { ...old, ...change } : old)) })
  const failed = declare.error
  // What was checked is not what is written any more once that is changed.
  const checked = attempt.data?.written === written ? attempt.data.of : undefined
  return (
    <Form save={attempt} unsaved={unsaved} width="middle">
      <Fields>
        <Select
          label="Kind"
          value={kind.name}
          onChange={choose}
          options={Object.fromEntries(kinds.map((k) => [k.name, k.name.replaceAll('-', ' ')]))}
        />
        <Soft>{kind.about}</Soft>
      </Fields>
      {inputs.map((input, i) => (
        <Fields key={i}>
          {kind.roles.length === 0 && <Written label="Name" value={input.as} onChange={(as) => set(i, { as })} />}
          <Select
            label={
              kind.roles[i] ? capital(kind.roles[i].about) + (kind.roles[i].optional ? ' (if any)' : '') : 'Signal'
            }
            value={input.signal}
            onChange={(signal) => set(i, { signal })}
            options={listed}
          />
        </Fields>
      ))}
      {kind.roles.length === 0 && (
        <Row>
          <QuietButton onPress={() => put({ inputs: [...inputs, { as: letters[inputs.length % 26]!, signal: '' }] })}>
            Add a signal
          </QuietButton>
          {inputs.length > 1 && (
            <QuietButton onPress={() => put({ inputs: inputs.slice(0, -1) })}>Remove the last signal</QuietButton>
          )}
        </Row>
      )}
      <Settings
        kind={kind}
        said={d.said}
        onChange={(name, value) => setDraft((old) => ({ ...old, said: { ...old.said, [name]: value } }))}
      />
      <Fields>
        <Select
          label="Device"
          value={d.device}
          onChange={(device) => put({ device })}
          options={{ '': 'which?', ...Object.fromEntries(devices) }}
        />
        <Written label="Name" value={d.name} onChange={(name) => put({ name })} hint="small letters, digits and -" />
        <Written label="Title" value={d.title} onChange={(title) => put({ title })} />
      </Fields>
      <Send send="Check" says={(error) => <Shown error={error} />} />
      {failed && <Shown error={failed} />}
      <div role="status">
        {checked && !failed && !attempt.error && (
          <section data-fits>
            <Prose>
              It would be {checked.made_of}
              {checked.unit && `, in ${inUnit(checked.unit)}`}
              {checked.kind === 'switch' && ', on or off'}.
            </Prose>
            <Row>
              <Button onPress={() => declare.mutate({})} isDisabled={declare.isPending}>
                Add the signal
              </Button>
            </Row>
          </section>
        )}
      </div>
    </Form>
  )
}

type SettingsProps = {
  kind: RecipeKind
  said: Draft['said']
  onChange: (name: string, value: string | number | undefined) => void
}

/** What a kind must be told, and what it may. */
const Settings = ({ kind, said, onChange }: SettingsProps) => (
  <Fields key={kind.name}>
    {[...kind.needs, ...kind.may].map((name) => {
      const s = settings[name] ?? { label: name }
      const optional = kind.may.includes(name)
      const text = String(said[name] ?? '')
      const set = (value: string | number | undefined) => onChange(name, value)
      if (s.options)
        return (
          <Select
            key={name}
            label={s.label}
            value={text}
            onChange={set}
            options={{
              '': optional ? 'the usual' : 'which?',
              ...Object.fromEntries(s.options.map((value) => [value, value])),
            }}
          />
        )
      if (s.number)
        return (
          <NumberField
            key={name}
            label={s.label}
            value={said[name] as number | undefined}
            onChange={set}
            hint={s.hint}
            optional={optional}
          />
        )
      return (
        <Written
          key={name}
          label={s.label}
          value={text}
          onChange={set}
          hint={s.hint}
          rows={name === 'formula' ? 2 : undefined}
        />
      )
    })}
  </Fields>
)

/** An error; one of a formula points at a character, so its lines and spaces stay. */
const Shown = ({ error }: { error: Error }) => (
  <Placed $points={error.message.includes('\n')}>
    <Failure error={error} />
  </Placed>
)

/** The recipe that a draft says. */
function recipeOf(kind: RecipeKind, d: Draft): Recipe {
  const recipe: Record<string, unknown> = { kind: kind.name, of: d.inputs.filter((input) => input.signal) }
  for (const name of [...kind.needs, ...kind.may]) {
    const said = d.said[name]
    if (said === undefined || said === '') continue
    recipe[name] = name === 'points' ? pointsOf(String(said)) : said
  }
  return recipe as Recipe
}

/** Reads points like "3.3=0 3.7=40". */
const pointsOf = (text: string) =>
  text
    .split(/[\s;]+/)
    .filter(Boolean)
    .map((pair) => {
      const [shown, reference] = pair.split('=').map((n) => readNumber(n).value)
      if (shown === undefined || reference === undefined)
        throw new Error(`“${pair}” is no point; write it like 3.7=40.`)
      return { shown, reference }
    })
