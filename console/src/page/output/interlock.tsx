import { inWords } from '../../api/words'
import { useState } from 'react'
import { useNavigate, useParams, useSearchParams } from 'react-router'
import { api, type Interlock, type Output, pathOf, take, type Tried } from '../../api/client'
import { useDraft } from '../../api/drafts'
import {
  capital,
  type Lock,
  lookAtInterlock,
  putInterlock,
  stateWords,
  titleOf,
  useInterlocks,
  useOutputs,
  writable,
} from '../../api/output'
import { useSignals } from '../../api/signal'
import { useSession } from '../../api/site'
import { written as inUnit } from '../../api/units'
import { Found } from './interlock-found'
import { InterlockTable } from './interlocks'
import { To } from './row'
import { Above, Heading, PlainLink, QuietButton, Soft, Subheading } from '../../ui/basics'
import { Changing, saveAsNew, type SaveUnder } from '../../ui/changing'
import { Fields, Form, Select, Send, useSave, Written } from '../../ui/form'
import { NoPage } from '../../ui/no-page'
import { NumberField } from '../../ui/number'
import { Removal } from '../../ui/sure'

const drivers = {
  alarm: 'an alarm',
  when: 'a condition',
  bands: 'the value, by bands',
  hours: 'a schedule',
  formula: 'a formula',
}
type Driver = keyof typeof drivers
const driverOf = (i: Interlock): Driver =>
  i.when ? 'when' : i.bands?.length ? 'bands' : i.hours ? 'hours' : i.formula ? 'formula' : 'alarm'

/** One interlock: how it stands, what drives it, and when it would have run. */
export function InterlockPage() {
  const { interlock: name = '' } = useParams()
  const [query] = useSearchParams()
  const locks = useInterlocks()
  const outputs = useOutputs().data?.outputs
  const keeper = useSession().data?.role !== 'viewer'
  if (locks.error) return <NoPage error={locks.error} />
  if (!locks.data || !outputs) return <Soft>Looking …</Soft>
  const fresh = name === 'new'
  const known = locks.data.find((i) => i.name === name)
  if (!fresh && !known) return <NoPage error={new Error(`There is no interlock ${name}.`)} />
  const output = query.get('output') ?? (outputs[0] ? `${outputs[0].device}/${outputs[0].name}` : '')
  const begin = known ?? ({ name: '', output, set: '' } as Interlock)
  return (
    <>
      <title>{`${fresh ? 'Another interlock' : name} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/outputs">Outputs</PlainLink>
        {known && (
          <>
            {' '}
            · <PlainLink href={`/outputs/${known.output}`}>{known.output}</PlainLink>
          </>
        )}
      </Above>
      <Heading>{known ? headline(known, outputs) : 'Another interlock'}</Heading>
      {known && <InterlockTable locks={[known]} outputs={outputs} keeper={keeper} />}
      <Subheading>Settings and trial</Subheading>
      {fresh ? (
        <Editor begin={begin} outputs={outputs} keeper={keeper} />
      ) : (
        <Changing key={known?.id} of={`interlock ${name}`} look={() => lookAtInterlock(name)} kept={known}>
          {(begun, save) => <Editor begin={begun} outputs={outputs} saveUnder={save} keeper={keeper} />}
        </Changing>
      )}
    </>
  )
}

function headline(i: Interlock, outputs: Output[]) {
  const o = outputs.find((one) => `${one.device}/${one.name}` === i.output)
  if (!i.driving) return `${i.name} asks for nothing now.`
  const wants = `${i.name} asks ${o ? `${titleOf(o)} for ${stateWords(o, i.asks_for)}` : `for ${i.asks_for}`}`
  return `${wants}: ${i.blind || i.why || 'it is latched'}.`
}

type EditorProps = { begin: Interlock; outputs: Output[]; saveUnder?: SaveUnder; keeper: boolean }

function Editor({ begin, outputs, saveUnder = saveAsNew, keeper }: EditorProps) {
  const fresh = saveUnder === saveAsNew
  const [draft, setDraft, unsaved] = useDraft<Draft>(`interlock ${begin.name || `of ${begin.output}`}`, () => ({
    lock: fresh ? begin : writable(begin),
    driver: driverOf(begin),
    // Half of an input or of a band is none yet.
    texts: {
      bands: bandText(begin, outputs),
      inputs: (begin.of ?? []).map((x) => `${x.as}=${x.signal}`).join(' '),
    },
  }))
  const { lock: i, driver, texts } = draft
  const [since, setSince] = useState('30')
  const navigate = useNavigate()
  const put = (change: Partial<Lock>) => setDraft({ ...draft, lock: { ...i, ...change } })
  const o = outputs.find((one) => `${one.device}/${one.name}` === i.output)
  const asked = () => driven(i, driver, texts)
  const remove = () =>
    take(api.DELETE('/api/v1/interlocks/{interlock}', { params: { path: { interlock: begin.name } } }))
  const written = JSON.stringify([draft, since])
  const [trial, setTrial] = useState<Trial>()
  const tryIt = async () => {
    const until = Date.now()
    const from = new Date(until - Number(since) * 86_400_000).toISOString()
    const body = {
      interlock: { ...writable(asked()), name: i.name || 'tried' } as Lock,
      from,
      until: new Date(until).toISOString(),
    }
    const tried = await take(api.POST('/api/v1/interlock-trials', { body }))
    setTrial({ of: written, tried, from: Date.parse(from), until })
  }
  const act = useSave(async ({ act }) => {
    if (act !== 'save') return tryIt().then(() => 'tried')
    const saved = await saveUnder((header) => putInterlock(asked(), header))
    unsaved.done()
    void navigate(`/interlocks/${saved.name}`)
    return 'saved'
  })
  return (
    <Form may={keeper} unsaved={unsaved} width="full" save={act}>
      <Fields>
        {fresh && <Written label="Name" value={i.name} onChange={(name) => put({ name })} hint="like shed-extractor" />}
        <Select
          label="Output"
          value={i.output}
          onChange={(output) => put({ output, set: '' })}
          options={Object.fromEntries(
            outputs.map((one) => [`${one.device}/${one.name}`, `${titleOf(one)} · ${one.device}`]),
          )}
        />
        <Select
          label="Driven by"
          value={driver}
          onChange={(d) => setDraft({ ...draft, driver: d as Driver })}
          options={drivers}
        />
        {driver !== 'bands' && o && (
          <To
            output={o}
            label="Output state"
            optional={driver === 'formula'}
            value={i.set || (o.kind === 'switch' ? 'on' : '')}
            onChange={(set) => put({ set })}
          />
        )}
      </Fields>
      <DriverFields
        driver={driver}
        lock={i}
        put={put}
        texts={texts}
        write={(change) => setDraft({ ...draft, texts: { ...texts, ...change } })}
      />
      <Fields>
        <Select
          label="Latch"
          value={i.latch ? 'latch' : 'go'}
          onChange={(v) => put({ latch: v === 'latch' })}
          options={{ go: 'the output goes back by itself', latch: 'latched until a person resets it' }}
        />
        <Select
          label="Priority"
          value={i.safety ? 'safety' : 'usual'}
          onChange={(v) => put({ safety: v === 'safety' })}
          options={{ usual: 'hands win over it', safety: 'for safety: it wins over hands and least times' }}
        />
        {keeper && (
          <Select
            label="Try over"
            value={since}
            onChange={setSince}
            options={{ '1': 'a day', '7': 'a week', '30': '30 days', '90': '90 days' }}
          />
        )}
      </Fields>
      <Send
        send={act.isPending && act.variables.act !== 'save' ? 'Trying …' : 'Try'}
        sent={act.data === 'saved' ? 'Saved.' : undefined}
      >
        <QuietButton type="submit" name="act" value="save" isDisabled={act.isPending || !i.name}>
          {fresh ? 'Add' : 'Save'}
        </QuietButton>
      </Send>
      {trial?.of === written && o && <Found output={o} {...trial} />}
      {keeper && !fresh && (
        <Removal
          name={`Remove the interlock ${begin.name}`}
          says="It drives the output no more; what else drives it goes on."
          act={remove}
          gone={{ kind: 'interlock', name: begin.name }}
          done={() => void navigate('/outputs')}
        />
      )}
    </Form>
  )
}

/** What an interlock would have done over a stretch. */
type Trial = { of: string; tried: Tried; from: number; until: number }
type Texts = { bands: string; inputs: string }
type Draft = { lock: Lock; driver: Driver; texts: Texts }

type FieldProps = {
  driver: Driver
  lock: Lock
  put: (change: Partial<Lock>) => void
  texts: Texts
  write: (change: Partial<Texts>) => void
}

function DriverFields({ driver, lock: i, put, texts, write }: FieldProps) {
  const signals = (useSignals().data ?? []).filter((s) => s.kind !== 'data')
  const options = Object.fromEntries(signals.map((s) => [`${s.device}/${s.name}`, `${s.device}/${s.name}`]))
  const pick = (
    <Select
      label="Signal"
      value={i.signal ?? ''}
      onChange={(signal) => put({ signal })}
      options={{ '': 'choose one', ...options }}
    />
  )
  const deadband = (
    <NumberField
      label="Deadband"
      unit={inUnit(signals.find((s) => pathOf(s) === i.signal)?.unit ?? '')}
      least={0}
      optional
      value={i.deadband || undefined}
      onChange={(deadband) => put({ deadband })}
    />
  )
  switch (driver) {
    case 'alarm':
      return (
        <Written
          label="Alarm"
          value={i.alarm ?? ''}
          onChange={(alarm) => put({ alarm })}
          hint="names of guards, DEVICE/* or any; then, if wanted, the mildest severity: carbon-monoxide-high critical"
        />
      )
    case 'when':
      return (
        <Fields>
          {pick}
          <Written label="Condition" value={i.when ?? ''} onChange={(when) => put({ when })} hint="like above 400" />
          {deadband}
          <Written
            label="On-delay"
            value={inWords(i.on_delay)}
            onChange={(on_delay) => put({ on_delay })}
            hint="like 30s"
          />
          <Written label="Off-delay" value={inWords(i.off_delay)} onChange={(off_delay) => put({ off_delay })} />
        </Fields>
      )
    case 'bands':
      return (
        <Fields>
          {pick}
          <Written
            label="Bands"
            value={texts.bands}
            onChange={(bands) => write({ bands })}
            hint="like below 45 blue, below 66 green, else red"
          />
          {deadband}
        </Fields>
      )
    case 'hours':
      return (
        <Written
          label="Hours"
          value={i.hours ?? ''}
          onChange={(hours) => put({ hours })}
          hint="like mon-fri 07:00-19:00, holidays never"
        />
      )
    case 'formula':
      return (
        <Fields>
          <Written
            label="Formula"
            value={i.formula ?? ''}
            onChange={(formula) => put({ formula })}
            hint="like air > 24.0 && humidity > 80.0"
          />
          <Written
            label="Inputs"
            value={texts.inputs}
            onChange={(inputs) => write({ inputs })}
            hint="like air=fern-house/air humidity=fern-house/humidity"
          />
        </Fields>
      )
  }
}

const inputsOf = (text: string) =>
  text
    .split(/\s+/)
    .filter(Boolean)
    .map((pair) => {
      const [as = '', signal = ''] = pair.split('=')
      return { as, signal }
    })

const bandText = (i: Interlock, outputs: Output[]) => {
  const o = outputs.find((one) => `${one.device}/${one.name}` === i.output)
  const say = (value: string) => (o ? stateWords(o, value) : value)
  return (i.bands ?? []).map((b) => `${b.to == null ? 'else' : `below ${b.to}`} ${say(b.set)}`).join(', ')
}

/** The interlock with what its driver says, and nothing of what others would. */
function driven(i: Lock, driver: Driver, texts: Texts): Lock {
  const { name, output, safety, latch } = i
  const plain = { name, output, safety, latch, set: i.set } as Lock
  const deadband = i.deadband ?? 0
  const delays = { ...(i.on_delay ? { on_delay: i.on_delay } : {}), ...(i.off_delay ? { off_delay: i.off_delay } : {}) }
  switch (driver) {
    case 'alarm':
      return { ...plain, alarm: i.alarm }
    case 'when':
      return { ...plain, signal: i.signal, when: i.when, deadband, ...delays }
    case 'bands':
      return {
        ...plain,
        signal: i.signal,
        deadband,
        set: '',
        bands: texts.bands
          .split(',')
          .filter((b) => b.trim())
          .map(band),
      }
    case 'hours':
      return { ...plain, hours: i.hours }
    case 'formula':
      return { ...plain, formula: i.formula, of: inputsOf(texts.inputs) }
  }
}

function band(text: string) {
  const words = text.trim().split(/\s+/)
  if (words[0] === 'else') return { set: words.slice(1).join(' ') }
  if (words[0] !== 'below' || Number.isNaN(Number(words[1])))
    throw new Error(`${capital(text.trim())} is no band; write it like: below 45 blue, else red`)
  return { to: Number(words[1]), set: words.slice(2).join(' ') }
}
