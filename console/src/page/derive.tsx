import { type FormEvent, useState } from 'react'
import { useNavigate, useSearchParams } from 'react-router'
import { api, pathOf, type Recipe, type RecipeKind, type Signal, take } from '../api/client'
import { useRecipeKinds, useSession, useSignals, useTrustAct } from '../api/queries'
import { written } from '../api/units'
import { Button, Failure, Heading, Prose, QuietButton, Row, Soft } from '../ui/basics'
import { Fields, fieldsOf, Form, Pick, Select, TextInput } from '../ui/form'

type Input = { as: string; signal: string }
type Order = { device: string; name: string; title?: string; recipe: Recipe }

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
  if (failed) return <Failure error={failed} />
  if (!kinds.data || !signals.data) return <Soft>Looking …</Soft>
  if (!keeper) return <Prose>Keepers declare what is computed.</Prose>
  return (
    <>
      <title>Compute a signal · Jaunty Lark</title>
      <Heading>Compute a signal from others</Heading>
      <Prose>
        It is computed with every reading, and for all that is there already. Guards, charts and totals take it like any
        other.
      </Prose>
      <DeriveForm kinds={kinds.data} signals={signals.data} of={query.get('of') ?? ''} />
    </>
  )
}

const letters = 'abcdefghijklmnopqrstuvwxyz'
const namesOf = (kind: RecipeKind) => (kind.roles.length > 0 ? kind.roles.map((r) => r.name) : ['a', 'b'])

function DeriveForm({ kinds, signals, of }: { kinds: RecipeKind[]; signals: Signal[]; of: string }) {
  const go = useNavigate()
  const [kind, setKind] = useState(kinds.find((k) => k.name === 'moving-mean') ?? kinds[0]!)
  const [inputs, setInputs] = useState<Input[]>(namesOf(kind).map((as, i) => ({ as, signal: i === 0 ? of : '' })))
  const choose = (name: string) => {
    const next = kinds.find((k) => k.name === name)!
    setKind(next)
    setInputs(namesOf(next).map((as, i) => ({ as, signal: inputs[i]?.signal ?? '' })))
  }
  const put = (order: Order, attempt: boolean) =>
    take(
      api.PUT('/api/v1/signals/{device}/{signal}/recipe', {
        params: { path: { device: order.device, signal: order.name } },
        body: { title: order.title, recipe: order.recipe, try: attempt },
      }),
    )
  const attempt = useTrustAct((order: Order) => put(order, true))
  const declare = useTrustAct((order: Order) => put(order, false))
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const f = fieldsOf(e.currentTarget)
    declare.reset()
    attempt.mutate({ device: f.device ?? '', name: f.name ?? '', title: f.title, recipe: recipeOf(kind, inputs, f) })
  }
  const devices = [...new Map(signals.map((s) => [s.device, s.device_title])).entries()]
  const usable = signals.filter((s) => s.kind === 'number' || s.kind === 'switch')
  const listed = Object.fromEntries([
    ['', 'which?'],
    ...usable.map((s) => [pathOf(s), `${s.device_title}: ${s.title}${s.unit && ` (${written(s.unit)})`}`]),
  ])
  const set = (i: number, change: Partial<Input>) =>
    setInputs(inputs.map((old, k) => (k === i ? { ...old, ...change } : old)))
  const failed = declare.error ?? attempt.error
  const tried = attempt.data
  return (
    <Form onSubmit={submit} style={{ maxWidth: '44rem' }}>
      <Fields style={{ marginBottom: 0 }}>
        <Select
          label="What"
          value={kind.name}
          onChange={choose}
          options={Object.fromEntries(kinds.map((k) => [k.name, k.name.replaceAll('-', ' ')]))}
        />
        <Soft>{kind.about}</Soft>
      </Fields>
      {inputs.map((input, i) => (
        <Fields key={i} style={{ marginBottom: 0 }}>
          {kind.roles.length === 0 && (
            <TextInput key={input.as} label="Name" name={`as-${i}`} defaultValue={input.as} autoComplete="off" />
          )}
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
          <QuietButton onPress={() => setInputs([...inputs, { as: letters[inputs.length % 26]!, signal: '' }])}>
            Add a signal
          </QuietButton>
          {inputs.length > 1 && <QuietButton onPress={() => setInputs(inputs.slice(0, -1))}>Leave one out</QuietButton>}
        </Row>
      )}
      <Settings kind={kind} />
      <Fields style={{ marginBottom: 0 }}>
        <Pick
          key={of}
          label="It belongs to"
          name="device"
          none="which device?"
          options={devices.map(([value, text]) => ({ value, text }))}
          defaultValue={of.split('/')[0]}
        />
        <TextInput label="Name" name="name" autoComplete="off" hint="small letters, digits and -" />
        <TextInput label="Called" name="title" optional />
      </Fields>
      <Row>
        <Button type="submit" isDisabled={attempt.isPending}>
          See whether it fits
        </Button>
      </Row>
      {failed && <Shown error={failed} />}
      <div role="status">
        {tried && !failed && (
          <section data-fits>
            <Prose>
              It would be {tried.made_of}
              {tried.unit && `, in ${written(tried.unit)}`}
              {tried.kind === 'switch' && ', on or off'}.
            </Prose>
            <Row>
              <Button
                onPress={() =>
                  declare.mutate(attempt.variables, { onSuccess: (made) => void go(`/signals/${pathOf(made)}`) })
                }
                isDisabled={declare.isPending}
              >
                Compute it
              </Button>
            </Row>
          </section>
        )}
      </div>
    </Form>
  )
}

/** What a kind must be told, and what it may. */
const Settings = ({ kind }: { kind: RecipeKind }) => (
  <Fields key={kind.name} style={{ marginBottom: 0 }}>
    {[...kind.needs, ...kind.may].map((name) => {
      const s = settings[name] ?? { label: name }
      const optional = kind.may.includes(name)
      return s.options ? (
        <Pick
          key={name}
          label={s.label}
          name={name}
          none={optional ? 'the usual' : 'which?'}
          options={s.options.map((value) => ({ value, text: value }))}
        />
      ) : (
        <TextInput
          key={name}
          label={s.label}
          name={name}
          hint={s.hint}
          optional={optional}
          rows={name === 'formula' ? 2 : undefined}
          autoComplete="off"
        />
      )
    })}
  </Fields>
)

/** An error; one of a formula points at a character, so its lines and spaces stay. */
const Shown = ({ error }: { error: Error }) => (
  <div style={{ whiteSpace: 'pre-wrap', fontFamily: error.message.includes('\n') ? 'monospace' : undefined }}>
    <Failure error={error} />
  </div>
)

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)

/** The recipe that a form says. */
function recipeOf(kind: RecipeKind, inputs: Input[], f: Record<string, string>): Recipe {
  const recipe: Record<string, unknown> = {
    kind: kind.name,
    of: inputs.map((in_, i) => ({ as: f[`as-${i}`] ?? in_.as, signal: in_.signal })).filter((in_) => in_.signal),
  }
  for (const name of [...kind.needs, ...kind.may]) {
    const said = f[name]
    if (!said) continue
    if (name === 'points')
      recipe.points = said.split(/[\s,]+/).map((pair) => {
        const [shown, reference] = pair.split('=').map(Number)
        return { shown, reference }
      })
    else recipe[name] = settings[name]?.number ? Number(said) : said
  }
  return recipe as Recipe
}
