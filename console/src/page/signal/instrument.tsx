import { Link, useNavigate, useParams } from 'react-router'
import { api, type Band, pathOf, type Signal, take } from '../../api/client'
import { useFormDraft } from '../../api/drafts'
import { readNumber } from '../../api/numbers'
import { lookAtSignal, useSignals } from '../../api/signal'
import { useSession } from '../../api/site'
import { written } from '../../api/units'
import { fullTitle, inWords } from '../../api/words'
import { FaultFields, faultsSaid } from '../guard/fault-fields'
import { Above, Heading, PlainLink, Prose, Soft } from '../../ui/basics'
import { Changing, type SaveUnder } from '../../ui/changing'
import { Fields, Form, Pick, Send, TextInput, useSave } from '../../ui/form'
import { NoPage } from '../../ui/no-page'
import { NumberField } from '../../ui/number'
import { Removal } from '../../ui/sure'

const colours = ['blue', 'green', 'yellow', 'orange', 'red', 'grey'] as const

/** Reads "fine 1150..2900 green", or "flame off" of what is on or off. */
function readBand(line: string): Band {
  const said = line.trim().match(/^(.*?)\s+(?:(off|on)|(-?[\d.,]*?)\.\.(-?[\d.,]*))(?:\s+([a-z]+))?$/)
  const colour = colours.find((c) => c === said?.[5])
  if (!said || (said[5] && !colour))
    throw new Error(
      `“${line}” is no band. Write it like: fine 1150..2900 green, dry ..1150, or flame off. Colours are ${colours.join(', ')}.`,
    )
  const end = (text: string | undefined) => {
    const end = readNumber(text ?? '')
    if (end.wrong) throw new Error(`“${line}”: ${end.wrong}`)
    return end.value
  }
  return {
    name: said[1]!,
    from: said[2] === 'on' ? 1 : end(said[3]),
    to: said[2] === 'off' ? 1 : end(said[4]),
    colour,
  }
}

const writeBand = (b: Band, switched: boolean) =>
  [b.name, switched ? (b.from == null ? 'off' : 'on') : `${b.from ?? ''}..${b.to ?? ''}`, b.colour ?? '']
    .join(' ')
    .trim()

/** What is known of a signal's instrument, and what its values are called. */
export function Instrument() {
  const { device = '', signal: name = '' } = useParams()
  const signals = useSignals()
  const signal = signals.data?.find((s) => pathOf(s) === `${device}/${name}`)
  if (signals.error) return <NoPage error={signals.error} />
  if (!signals.data) return <Soft>Looking …</Soft>
  if (!signal) return <NoPage error={new Error(`There is no signal ${device}/${name}.`)} />
  return (
    <>
      <title>{`Instrument of ${signal.title} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href={`/signals/${pathOf(signal)}`}>{fullTitle(signal)}</PlainLink>
      </Above>
      <Heading>Instrument</Heading>
      <Prose>
        By this each reading is judged as it comes. What cannot be believed is kept and marked, and guards, figures and
        totals pass over it.
      </Prose>
      <Changing of={`signal ${pathOf(signal)}`} look={() => lookAtSignal(device, name)} kept={signal}>
        {(begun, save) => <KnownForm signal={begun} saveUnder={save} />}
      </Changing>
      <RemoveSignal signal={signal} />
    </>
  )
}

/** Takes a signal away that is no longer wanted. */
function RemoveSignal({ signal: s }: { signal: Signal }) {
  const owner = useSession().data?.role === 'owner'
  const navigate = useNavigate()
  const remove = () =>
    take(api.DELETE('/api/v1/signals/{device}/{signal}', { params: { path: { device: s.device, signal: s.name } } }))
  if (!owner) return null
  return (
    <Removal
      name="Remove the signal"
      says={
        <>
          All its readings go for good. <Link to={`/history?what=${pathOf(s)}`}>Export them first</Link> if they may be
          wanted; clearing them instead can be undone for 30 days.
        </>
      }
      act={remove}
      gone={{ kind: 'signal', name: pathOf(s) }}
      done={() => void navigate(`/devices/of/${s.device}`)}
    />
  )
}

function KnownForm({ signal: s, saveUnder }: { signal: Signal; saveUnder: SaveUnder }) {
  const keeper = useSession().data?.role !== 'viewer'
  const draft = useFormDraft(`instrument ${pathOf(s)}`)
  const save = useSave(async (f) => {
    const said = (low?: string, high?: string) => (low && high ? { low: Number(low), high: Number(high) } : undefined)
    const span = said(f.low, f.high)
    if (!span && (f.low || f.high)) throw new Error('The plausible span takes both ends, or none.')
    return saveUnder((header) =>
      api.PATCH('/api/v1/signals/{device}/{signal}', {
        params: { path: { device: s.device, signal: s.name }, header },
        body: {
          title: f.title ?? '',
          bands: (f.bands ?? '').split('\n').filter(Boolean).map(readBand),
          interval: f.interval ?? '0s',
          ...(s.made_of ? {} : rules(f, span)),
        },
      }),
    )
  }, draft.unsaved)
  const unit = written(s.unit)
  const behind = unit ? ` (${unit})` : ''
  const length = (d: number) => (d ? inWords(d) : '')
  return (
    <Form save={save} may={keeper} draft={draft} width="middle">
      <Fields>
        <TextInput label="Title" name="title" defaultValue={s.title} optional />
        <TextInput
          label="Expected interval"
          name="interval"
          defaultValue={length(s.interval)}
          optional
          hint="like 15s"
        />
      </Fields>
      {!s.made_of && s.kind !== 'text' && s.kind !== 'data' && (
        <>
          <Prose>Its instrument. Values are raw ones{unit && `, in ${unit}`}, before any correction.</Prose>
          {s.kind === 'number' && (
            <Fields>
              <NumberField label="Plausible from" unit={unit} name="low" defaultValue={s.span_low} optional />
              <NumberField label="Plausible to" unit={unit} name="high" defaultValue={s.span_high} optional />
              <Pick
                label="Fails to"
                name="fails"
                none="within the span"
                options={[
                  { value: 'low', text: 'below the span' },
                  { value: 'high', text: 'above the span' },
                  { value: 'both', text: 'on either side' },
                ]}
                defaultValue={s.fails_to}
              />
              <NumberField label="Step" unit={unit} name="step" defaultValue={s.step || null} least={0} optional />
            </Fields>
          )}
          <Fields>
            <TextInput label="Warm-up time" name="warm" defaultValue={length(s.warm_up)} optional hint="like 3m" />
            <TextInput
              label="Gap that means power was off"
              name="gap"
              defaultValue={length(s.warm_gap)}
              optional
              hint="empty: a gap says nothing"
            />
            <TextInput label="Stuck after" name="stuck" defaultValue={length(s.stuck_after)} optional hint="like 2h" />
            <TextInput
              label="Sensor fault after"
              name="fault"
              defaultValue={length(s.fault_after)}
              optional
              hint="10m when empty"
            />
            <FaultFields faults={s.faults} what="sensor faults" otherwise="its device or its guards" />
          </Fields>
        </>
      )}
      <TextInput
        label="Bands"
        name="bands"
        rows={4}
        optional
        defaultValue={s.bands.map((b) => writeBand(b, s.kind === 'switch')).join('\n')}
        hint={
          s.kind === 'switch'
            ? 'what off and on are called, one a line: flame off, dark on'
            : `one a line, where they overlap the first counts${behind}: dry ..1150 red, fine 1150..2900, full 2900..`
        }
      />
      <Send send="Save" sent="Saved. It holds for what comes from now on." />
    </Form>
  )
}

/** The rules of an instrument as a change of them. */
const rules = (f: Record<string, string>, span: { low: number; high: number } | undefined) => ({
  ...(span ? { span } : { no_span: true }),
  fails_to: (f.fails ?? '') as '' | 'low' | 'high' | 'both',
  step: Number(f.step ?? 0),
  warm_up: f.warm ?? '0s',
  warm_gap: f.gap ?? '0s',
  stuck_after: f.stuck ?? '0s',
  fault_after: f.fault ?? '0s',
  ...faultsSaid(f),
})
