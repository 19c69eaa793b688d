import { useState } from 'react'
import { useNavigate, useParams } from 'react-router'
import { useAssetAct, useAsset } from '../api/assets'
import { pathOf, type RunPage as Page } from '../api/client'
import { useNow } from '../api/live'
import { useSession, useSignals, useSite } from '../api/queries'
import { changeRun, markPhase, removeRun, report, stopRun, useRun } from '../api/runs'
import { amount, clock, figure, length } from '../api/words'
import {
  Above,
  Button,
  Columns,
  Failure,
  Heading,
  Num,
  PlainLink,
  Prose,
  QuietButton,
  QuietLink,
  Row,
  Scroll,
  Soft,
  Subheading,
  Table,
  Well,
} from '../ui/basics'
import { Dialog } from '../ui/dialog'
import { Form, Written } from '../ui/form'
import { Sure } from '../ui/sure'
import { AssetChart } from './asset-chart'
import { draftsOf, GoalFields, goalsOf } from './goal-fields'

const seconds: Intl.DateTimeFormatOptions = {
  day: 'numeric',
  month: 'long',
  hour: '2-digit',
  minute: '2-digit',
  second: '2-digit',
}

/** One run: how far it is, when it will reach its goals, what it came to. */
export function RunPage() {
  const id = Number(useParams().id)
  const run = useRun(id)
  const zone = useSite().data?.zone ?? 'UTC'
  const keeper = useSession().data?.role !== 'viewer'
  if (run.error) return <Failure error={run.error} />
  if (!run.data) return <Soft>Looking …</Soft>
  const r = run.data
  const on = !r.ended_at
  return (
    <>
      <title>{`${r.title} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/runs">Runs</PlainLink> · <PlainLink href={`/assets/${r.asset}`}>{r.called}</PlainLink>
        {r.plan && ` · by the plan ${r.plan}`}
      </Above>
      <Heading>{r.title}</Heading>
      <Prose data-words>
        {clock(r.started_at, zone, seconds)} to {on ? 'now' : clock(r.ended_at!, zone, seconds)}.{' '}
        {r.words.filter((w) => !r.results.some((o) => w.startsWith(o.words))).join(' ')}
      </Prose>
      <Acts run={r} keeper={keeper} />
      <Goals run={r} />
      <Chart run={r} />
      <Courses run={r} />
      <Phases run={r} />
      {r.notes.length > 0 && (
        <>
          <Subheading>Notes while it was on</Subheading>
          <ul>
            {r.notes.map((n) => (
              <li key={n.id}>
                <Soft>{clock(n.at, zone, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })}</Soft>{' '}
                {n.text} <Soft>· {n.who}</Soft>
              </li>
            ))}
          </ul>
        </>
      )}
      {keeper && <Leave run={r} />}
    </>
  )
}

function Acts({ run: r, keeper }: { run: Page; keeper: boolean }) {
  const [open, setOpen] = useState<'' | 'phase' | 'change'>('')
  const stop = useAssetAct(() => stopRun(r.id))
  return (
    <>
      <Row>
        {keeper && !r.ended_at && (
          <>
            <Button onPress={() => stop.mutate(undefined)} isDisabled={stop.isPending}>
              End it
            </Button>
            <QuietButton onPress={() => setOpen('phase')}>A new phase …</QuietButton>
          </>
        )}
        {keeper && <QuietButton onPress={() => setOpen('change')}>Change it …</QuietButton>}
        <QuietLink href={report(r.id, 'html')} target="_blank">
          Report
        </QuietLink>
        <QuietLink href={report(r.id, 'pdf')} download>
          PDF
        </QuietLink>
        <QuietLink href={report(r.id, 'csv')} download>
          CSV
        </QuietLink>
      </Row>
      {stop.error && <Failure error={stop.error} />}
      <Dialog title="Which phase begins now?" open={open === 'phase'} onClose={() => setOpen('')}>
        <NewPhase id={r.id} onClose={() => setOpen('')} />
      </Dialog>
      <Dialog title={`Change ${r.title}`} open={open === 'change'} onClose={() => setOpen('')} wide>
        <Change run={r} onClose={() => setOpen('')} />
      </Dialog>
    </>
  )
}

function NewPhase({ id, onClose }: { id: number; onClose: () => void }) {
  const [name, setName] = useState('')
  const mark = useAssetAct(() => markPhase(id, name))
  return (
    <Form
      onSubmit={(e) => {
        e.preventDefault()
        mark.mutate(undefined, { onSuccess: onClose })
      }}
    >
      <Written label="Phase" value={name} onChange={setName} hint="heating, holding, cooling" />
      <Row>
        <Button type="submit" isDisabled={!name.trim() || mark.isPending}>
          It begins
        </Button>
        <QuietButton onPress={onClose}>Leave it</QuietButton>
      </Row>
      {mark.error && <Failure error={mark.error} />}
    </Form>
  )
}

function Change({ run: r, onClose }: { run: Page; onClose: () => void }) {
  const all = useSignals().data ?? []
  const numbers = all.filter((s) => r.courses.some((c) => c.signal === pathOf(s)) && s.kind === 'number')
  const [title, setTitle] = useState(r.title)
  const [note, setNote] = useState(r.note)
  const [goals, setGoals] = useState(() => draftsOf(r.goals, all))
  const change = useAssetAct(async () => changeRun(r.id, { title, note, goals: goalsOf(goals, all) }))
  return (
    <Form
      style={{ maxWidth: 'none' }}
      onSubmit={(e) => {
        e.preventDefault()
        change.mutate(undefined, { onSuccess: onClose })
      }}
    >
      <Written label="Called" value={title} onChange={setTitle} />
      <GoalFields drafts={goals} signals={numbers} onChange={setGoals} />
      <Written label="Notes" value={note} onChange={setNote} rows={4} />
      <Row>
        <Button type="submit" isDisabled={change.isPending}>
          Change it
        </Button>
        <QuietButton onPress={onClose}>Leave it</QuietButton>
      </Row>
      {change.error && <Failure error={change.error} />}
    </Form>
  )
}

function Goals({ run: r }: { run: Page }) {
  if (!r.results.length) return null
  return (
    <Well>
      <ul aria-label="Goals" style={{ margin: 0, paddingLeft: 18 }}>
        {r.results.map((o, i) => (
          <li key={i} data-goal={o.state}>
            <b>{o.words}</b>: {r.hows[i]}
          </li>
        ))}
      </ul>
    </Well>
  )
}

/** Its signals from its start to its end, those of its goals first. */
function Chart({ run: r }: { run: Page }) {
  const now = useNow()
  const asset = useAsset(r.asset).data
  const all = useSignals().data ?? []
  const goals = r.goals.map((g) => g.signal)
  const signals = all
    .filter((s) => r.courses.some((c) => c.signal === pathOf(s) && c.readings > 1))
    .filter((s) => !goals.length || goals.includes(pathOf(s)))
  if (!signals.length || !asset) return null
  const from = Date.parse(r.started_at)
  const until = r.ended_at ? Date.parse(r.ended_at) : Math.ceil(now / 60_000) * 60_000
  return <AssetChart key={`${from} ${until}`} signals={signals} range="24h" fixed={{ from, until }} />
}

function Courses({ run: r }: { run: Page }) {
  const zone = useSite().data?.zone ?? 'UTC'
  const at = (t: string | null) =>
    t ? clock(t, zone, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }) : ''
  const short = (v: number | null, unit: string) => (v == null ? '–' : amount(Number(v.toPrecision(4)), unit))
  return (
    <>
      <Subheading>What it came to</Subheading>
      <Scroll tabIndex={0} role="region" aria-label="What it came to">
        <Table>
          <Columns names={['Signal', 'Lowest', 'Mean over time', 'Highest']} />
          <tbody>
            {r.courses.map((c) => (
              <tr key={c.signal}>
                <td>
                  <PlainLink href={`/signals/${c.signal}`}>{c.called}</PlainLink>
                </td>
                <Num>
                  {short(c.lowest, c.unit)} <Soft>{at(c.lowest_at)}</Soft>
                </Num>
                <Num>{short(c.mean, c.unit)}</Num>
                <Num>
                  {short(c.highest, c.unit)} <Soft>{at(c.highest_at)}</Soft>
                </Num>
              </tr>
            ))}
            {r.sums.map((s) => (
              <tr key={s.total}>
                <td>
                  <PlainLink href={`/totals/${s.total}`}>{s.called}</PlainLink>
                </td>
                <Num colSpan={3}>
                  {s.unit === 's' ? length(s.value * 1000) : `${figure(Number(s.value.toPrecision(4)))} ${s.unit}`}
                </Num>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroll>
    </>
  )
}

function Phases({ run: r }: { run: Page }) {
  const zone = useSite().data?.zone ?? 'UTC'
  if (!r.phases.length) return null
  return (
    <>
      <Subheading>Phases</Subheading>
      <ol>
        {r.phases.map((p, i) => (
          <li key={i}>
            {p.name}{' '}
            <Soft>
              from {clock(p.at, zone, seconds)}, for{' '}
              {length(Date.parse(r.phases[i + 1]?.at ?? r.until) - Date.parse(p.at))}
            </Soft>
          </li>
        ))}
      </ol>
    </>
  )
}

function Leave({ run: r }: { run: Page }) {
  const go = useNavigate()
  const remove = useAssetAct(() => removeRun(r.id))
  return (
    <div style={{ marginTop: 'var(--gap-5)' }}>
      <Sure
        name="Remove the run"
        says="Its name, goals, phases and notes go; the readings stay. Take its report out first, if you want to keep it."
        act={(after) => remove.mutate(undefined, after)}
        error={remove.error}
        done={() => void go(`/assets/${r.asset}`)}
      />
    </div>
  )
}
