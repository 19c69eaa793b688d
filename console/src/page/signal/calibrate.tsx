import { useAct } from '../../api/queries'
import { useEffect, useState } from 'react'
import { api, type Fitted, type Preview, type Signal, take, timed } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { seenUnit, seen } from '../../api/units'
import { counted, figure, say, shown, testWords } from '../../api/words'
import { PairChart } from '../../chart/pair'
import { Button, Columns, Failure, Prose, QuietButton, Row, Soft, Subheading, Table } from '../../ui/basics'
import { Fields, Form, Select, Send, useSave, Written } from '../../ui/form'
import { NumberField } from '../../ui/number'

type Pair = { shown?: number; reference?: number }
type Draft = { pairs: Pair[]; method: Method; from: keyof typeof froms; note: string }
type Order = {
  pairs: { shown: number; reference: number }[]
  unit: string
  method?: Method
  from?: string
  note?: string
}
type Method = '' | 'offset' | 'line' | 'corners'
const methods = { '': 'automatic', offset: 'offset', line: 'straight line', corners: 'from pair to pair' }
const froms = { now: 'now', day: 'a day ago', week: 'a week ago', month: '30 days ago', all: 'the first reading' }
const daysOf = { day: 1, week: 7, month: 30 }
const hold = 30 // seconds that are averaged

const blank: Draft = { pairs: [{}], method: '', from: 'now', note: '' }

/** What a draft asks for. */
function orderOf(d: Draft, signal: Signal): Order {
  const body: Order = {
    pairs: d.pairs.map((p) => ({ shown: p.shown!, reference: p.reference! })),
    unit: seenUnit(signal.unit),
    method: d.method,
    note: d.note,
  }
  if (d.from === 'all') body.from = new Date(1000).toISOString()
  else if (d.from !== 'now') body.from = new Date(Date.now() - daysOf[d.from] * 86_400_000).toISOString()
  return body
}

/** What the reference says, the lines with and without it, and then in force. */
export function Calibrate({ signal, zone }: { signal: Signal; zone: string }) {
  const [draft, setDraft, unsaved] = useDraft(`calibration ${signal.device}/${signal.name}`, blank)
  const set = (change: Partial<Draft>) => setDraft((old) => ({ ...old, ...change }))
  const [tried, setTried] = useState<{ draft: string; order: Order; of: Preview }>()
  const written = JSON.stringify(draft)
  // A preview of something else than what is written now is none.
  const preview = tried?.draft === written ? tried : undefined
  const path = { device: signal.device, signal: signal.name }
  const ask = useSave(async () => {
    const order = orderOf(draft, signal)
    const of = await take(
      api.POST('/api/v1/signals/{device}/{signal}/calibrations/try', { params: { path }, body: order }),
    )
    setTried({ draft: written, order, of: timed(of) })
  })
  const apply = useAct((body: Order) =>
    take(api.POST('/api/v1/signals/{device}/{signal}/calibrations', { params: { path }, body })),
  )
  const done = () => {
    setTried(undefined)
    unsaved.reset(blank)
  }
  if (signal.made_of) return <Prose>It is derived: {signal.made_of}. Calibrate what it is derived from.</Prose>
  const { pairs } = draft
  return (
    <>
      <Subheading>Calibrate</Subheading>
      <Prose>
        Hold a reference instrument beside it. One pair moves the line; two also turn it; more are fitted. Raw values
        stay.
      </Prose>
      <Form save={ask} unsaved={unsaved} width="full">
        {pairs.map((p, i) => (
          <PairFields
            key={i}
            pair={p}
            signal={signal}
            set={(next) =>
              setDraft((old) => ({ ...old, pairs: old.pairs.map((o, k) => (k === i ? { ...o, ...next } : o)) }))
            }
          />
        ))}
        <Row>
          <QuietButton onPress={() => set({ pairs: [...pairs, {}] })}>Add a pair</QuietButton>
          {pairs.length > 1 && (
            <QuietButton onPress={() => set({ pairs: pairs.slice(0, -1) })}>Remove the last pair</QuietButton>
          )}
        </Row>
        <Fields>
          <Select
            label="Fit"
            value={draft.method}
            onChange={(method) => set({ method: method as Method })}
            options={methods}
          />
          <Select
            label="In force from"
            value={draft.from}
            onChange={(from) => set({ from: from as Draft['from'] })}
            options={froms}
          />
          <Written label="Note" value={draft.note} onChange={(note) => set({ note })} />
        </Fields>
        <Send send="Preview" />
      </Form>
      {preview && (
        <section aria-label="Preview" data-preview>
          <Would preview={preview.of} signal={signal} zone={zone} />
          <Row $above={3}>
            <Button onPress={() => apply.mutate(preview.order, { onSuccess: done })} isDisabled={apply.isPending}>
              Put in force
            </Button>
            <QuietButton onPress={() => setTried(undefined)}>Cancel</QuietButton>
          </Row>
          {apply.error && <Failure error={apply.error} />}
        </section>
      )}
      <div role="status">{apply.data && !preview && <Applied of={apply.data} />}</div>
    </>
  )
}

const Applied = ({ of }: { of: Fitted }) => (
  <Prose data-applied>
    It is in force.{' '}
    {of.corrected_alarms > 0 && `Alarms of that time stay as they were, marked as corrected: ${of.corrected_alarms}.`}
  </Prose>
)

type PairProps = { pair: Pair; signal: Signal; set: (change: Partial<Pair>) => void }

/** One pair; what is shown can be taken live. */
function PairFields({ pair, signal, set }: PairProps) {
  const [left, setLeft] = useState<number>()
  const [told, setTold] = useState('')
  useEffect(() => {
    if (left === undefined) return
    if (left > 0) {
      const tick = setTimeout(() => setLeft(left - 1), 1000)
      return () => clearTimeout(tick)
    }
    const path = { device: signal.device, signal: signal.name }
    take(api.GET('/api/v1/signals/{device}/{signal}/steady', { params: { path, query: { for: `${hold}s` } } }))
      .then((steady) => {
        setLeft(undefined)
        if (steady.mean == null) return setTold('No reading that can be believed came.')
        set({ shown: Number(seen(steady.mean, signal.unit).toPrecision(6)) })
        setTold(
          `The mean of ${counted(steady.count, 'reading', 'readings')}, ${say(steady.low, signal.unit, signal.step)} to ${say(steady.high, signal.unit, signal.step)}.`,
        )
      })
      .catch((e: Error) => setTold(e.message))
    // Only the count goes on; the pair and the signal are those of its last step.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [left])
  const unit = shown(signal.unit)
  const step = signal.step || undefined
  return (
    <div>
      <Fields>
        <NumberField label="Shown" unit={unit} step={step} value={pair.shown} onChange={(shown) => set({ shown })} />
        <NumberField
          label="Reference"
          unit={unit}
          step={step}
          value={pair.reference}
          onChange={(reference) => set({ reference })}
        />
        <QuietButton isDisabled={left !== undefined} onPress={() => setLeft(hold)}>
          {left === undefined ? 'Take live' : `Hold still, averaging: ${left} s`}
        </QuietButton>
      </Fields>
      <div role="status">{told && <Soft>{told}</Soft>}</div>
    </div>
  )
}

/** The lines with and without a calibration over the last day, how it fits, and what guards would have said. */
function Would({ preview: p, signal, zone }: { preview: Preview; signal: Signal; zone: string }) {
  const eye = (v: number) => seen(v, signal.unit)
  const now = p.now.map(eye)
  const then = p.then.map(eye)
  return (
    <>
      <Prose>
        {p.fit.method === 'corners'
          ? 'A line with corners'
          : `Gain ${figure(p.curve.gain)}, offset ${figure(p.curve.offset)}`}
        {p.fit.residuals.length > 2 && `; the pairs lie up to ${figure(p.fit.worst)} off it`}.
        {p.past && ' Readings that are there already are corrected with it.'}
      </Prose>
      {p.fit.warnings.map((w) => (
        <Prose key={w} data-warning>
          <b>Careful:</b> {w}
        </Prose>
      ))}
      {p.at.length > 1 && (
        <PairChart
          at={p.at}
          first={now}
          second={then}
          names={['As it is', 'As it would be']}
          zone={zone}
          label={`The last day: now ${figure(now.at(-1) ?? 0)}, it would be ${figure(then.at(-1) ?? 0)} ${shown(signal.unit)}`}
        />
      )}
      {p.guards.length > 0 && (
        <Table>
          <Columns names={['Alarms of the last day by', 'As it is', 'As it would be']} />
          <tbody>
            {p.guards.map((g) => (
              <tr key={g.guard}>
                <td>
                  {testWords(g.when, signal.unit)} <Soft>· {g.guard}</Soft>
                </td>
                <td>{g.now}</td>
                <td>{g.then}</td>
              </tr>
            ))}
          </tbody>
        </Table>
      )}
    </>
  )
}
