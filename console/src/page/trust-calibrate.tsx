import { type FormEvent, useEffect, useState } from 'react'
import { api, type Fitted, type Preview, type Signal, take } from '../api/client'
import { useTrustAct } from '../api/queries'
import { seenUnit, seen } from '../api/units'
import { figure, shown, testWords } from '../api/words'
import { PairChart } from '../chart/pair'
import { Button, Columns, Failure, Prose, QuietButton, Row, Soft, Subheading, Table } from '../ui/basics'
import { Fields, fieldsOf, Form, Select, TextInput } from '../ui/form'

type Pair = { shown: string; reference: string }
type Order = {
  pairs: { shown: number; reference: number }[]
  unit: string
  method?: Method
  from?: string
  note?: string
}
type Method = '' | 'offset' | 'line' | 'corners'
const methods = { '': 'as fits', offset: 'offset', line: 'straight line', corners: 'from pair to pair' }
const froms = { now: 'now', day: 'a day ago', week: 'a week ago', month: '30 days ago', all: 'the first reading' }
const daysOf = { day: 1, week: 7, month: 30 }
const hold = 30 // seconds that are averaged

/** What the reference says, the lines with and without it, and then in force. */
export function Calibrate({ signal, zone }: { signal: Signal; zone: string }) {
  const [pairs, setPairs] = useState<Pair[]>([{ shown: '', reference: '' }])
  const [method, setMethod] = useState<Method>('')
  const [from, setFrom] = useState<keyof typeof froms>('now')
  const [preview, setPreview] = useState<{ order: Order; of: Preview }>()
  const path = { device: signal.device, signal: signal.name }
  const ask = useTrustAct((body: Order) =>
    take(api.POST('/api/v1/signals/{device}/{signal}/calibrations/try', { params: { path }, body })),
  )
  const apply = useTrustAct((body: Order) =>
    take(api.POST('/api/v1/signals/{device}/{signal}/calibrations', { params: { path }, body })),
  )
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const fields = fieldsOf(e.currentTarget)
    const body: Order = {
      pairs: pairs.map((_, i) => ({
        shown: Number(fields[`shown-${i}`]),
        reference: Number(fields[`reference-${i}`]),
      })),
      unit: seenUnit(signal.unit),
      method,
      note: fields.note,
    }
    if (from === 'all') body.from = new Date(1000).toISOString()
    else if (from !== 'now') body.from = new Date(Date.now() - daysOf[from] * 86_400_000).toISOString()
    ask.mutate(body, { onSuccess: (of) => setPreview({ order: body, of }) })
  }
  const done = () => {
    setPreview(undefined)
    setPairs([{ shown: '', reference: '' }])
  }
  if (signal.made_of) return <Prose>It is computed: {signal.made_of}. Calibrate what it is computed from.</Prose>
  return (
    <>
      <Subheading>Calibrate</Subheading>
      <Prose>
        Hold a reference instrument beside it. One pair moves the line; two also turn it; more are fitted. Raw values
        stay.
      </Prose>
      <Form onSubmit={submit} style={{ maxWidth: 'none' }}>
        {pairs.map((p, i) => (
          <PairFields
            key={i}
            place={i}
            pair={p}
            signal={signal}
            set={(next) => setPairs(pairs.map((old, k) => (k === i ? next : old)))}
          />
        ))}
        <Row>
          <QuietButton onPress={() => setPairs([...pairs, { shown: '', reference: '' }])}>Add a pair</QuietButton>
          {pairs.length > 1 && <QuietButton onPress={() => setPairs(pairs.slice(0, -1))}>Leave one out</QuietButton>}
        </Row>
        <Fields>
          <Select label="Fit" value={method} onChange={(m) => setMethod(m as Method)} options={methods} />
          <Select
            label="In force from"
            value={from}
            onChange={(f) => setFrom(f as keyof typeof froms)}
            options={froms}
          />
          <TextInput label="Note" name="note" optional />
        </Fields>
        <Row>
          <Button type="submit" isDisabled={ask.isPending}>
            See what it would do
          </Button>
        </Row>
      </Form>
      {ask.error && <Failure error={ask.error} />}
      {preview && (
        <section aria-label="What it would do" data-preview>
          <Would preview={preview.of} signal={signal} zone={zone} />
          <Row style={{ marginTop: 'var(--gap-3)' }}>
            <Button onPress={() => apply.mutate(preview.order, { onSuccess: done })} isDisabled={apply.isPending}>
              Put it in force
            </Button>
            <QuietButton onPress={() => setPreview(undefined)}>Leave it</QuietButton>
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
    {of.corrected_alarms > 0 &&
      `${of.corrected_alarms} alarms of that time stay as they were, and are marked as corrected.`}
  </Prose>
)

type PairProps = { place: number; pair: Pair; signal: Signal; set: (p: Pair) => void }

/** One pair; what is shown can be taken live. */
function PairFields({ place, pair, signal, set }: PairProps) {
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
        set({ ...pair, shown: String(Number(seen(steady.mean, signal.unit).toPrecision(6))) })
        setTold(
          `The mean of ${steady.count} readings, ${figure(seen(steady.low, signal.unit))} to ${figure(seen(steady.high, signal.unit))}.`,
        )
      })
      .catch((e: Error) => setTold(e.message))
    // Only the count goes on; the pair and the signal are those of its last step.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [left])
  const unit = shown(signal.unit)
  const behind = unit ? ` (${unit})` : ''
  return (
    <div>
      <Fields style={{ marginBottom: 0 }}>
        <TextInput
          key={pair.shown}
          label={`Shown${behind}`}
          name={`shown-${place}`}
          defaultValue={pair.shown}
          autoComplete="off"
        />
        <TextInput
          label={`Reference${behind}`}
          name={`reference-${place}`}
          defaultValue={pair.reference}
          autoComplete="off"
        />
        <QuietButton isDisabled={left !== undefined} onPress={() => setLeft(hold)}>
          {left === undefined ? 'Take it live' : `Hold still, averaging: ${left} s`}
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
          names={['as it is', 'as it would be']}
          zone={zone}
          label={`The last day: now ${figure(now.at(-1) ?? 0)}, it would be ${figure(then.at(-1) ?? 0)} ${shown(signal.unit)}`}
        />
      )}
      {p.guards.length > 0 && (
        <Table>
          <Columns names={['Alarms of the last day by', 'as it is', 'as it would be']} />
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
