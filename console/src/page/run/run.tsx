import { useState } from 'react'
import { useNavigate, useParams } from 'react-router'
import { useAsset } from '../../api/asset'
import { pathOf, type RunPage as Page } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { useNow } from '../../api/live'
import { useAct } from '../../api/queries'
import { lookAtRun, patchRun, markPhase, removeRun, report, stopRun, useRun } from '../../api/run'
import { useSignals } from '../../api/signal'
import { useSession, useSite } from '../../api/site'
import { sumWords } from '../../api/total'
import { clock, length, say } from '../../api/words'
import { AssetChart } from '../asset/chart'
import { draftsOf, type GoalDraft, GoalFields, goalsOf } from './goal-fields'
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
} from '../../ui/basics'
import { Dialog } from '../../ui/dialog'
import { Changing, type SaveUnder } from '../../ui/changing'
import { Form, Send, useSave, Written } from '../../ui/form'
import { NoPage } from '../../ui/no-page'
import { Removal } from '../../ui/sure'

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
  if (run.error) return <NoPage error={run.error} />
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
  const stop = useAct(() => stopRun(r.id))
  return (
    <>
      <Row>
        {keeper && !r.ended_at && (
          <>
            <Button onPress={() => stop.mutate(undefined)} isDisabled={stop.isPending}>
              End run
            </Button>
            <QuietButton onPress={() => setOpen('phase')}>New phase …</QuietButton>
          </>
        )}
        {keeper && <QuietButton onPress={() => setOpen('change')}>Edit …</QuietButton>}
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
      <Dialog title="New phase" open={open === 'phase'} onClose={() => setOpen('')}>
        <NewPhase id={r.id} onClose={() => setOpen('')} />
      </Dialog>
      <Dialog title={`Edit ${r.title}`} open={open === 'change'} onClose={() => setOpen('')} wide>
        <Changing of={`run ${r.id}`} look={() => lookAtRun(r.id)}>
          {(begun, save) => <Change run={begun} saveUnder={save} onClose={() => setOpen('')} />}
        </Changing>
      </Dialog>
    </>
  )
}

function NewPhase({ id, onClose }: { id: number; onClose: () => void }) {
  const [name, setName, unsaved] = useDraft(`phase of run ${id}`, '')
  const mark = useSave(
    () => markPhase(id, name),
    undefined,
    () => {
      unsaved.reset('')
      onClose()
    },
  )
  return (
    <Form unsaved={unsaved} save={mark}>
      <Written label="Phase" value={name} onChange={setName} hint="heating, holding, cooling" />
      <Send send="Begin phase" off={!name.trim()} onCancel={onClose} />
    </Form>
  )
}

type ChangeProps = { run: Page; saveUnder: SaveUnder; onClose: () => void }

function Change({ run: r, saveUnder, onClose }: ChangeProps) {
  const all = useSignals().data ?? []
  const numbers = all.filter((s) => r.courses.some((c) => c.signal === pathOf(s)) && s.kind === 'number')
  const [{ title, note, goals }, setDraft, unsaved] = useDraft(`run ${r.id}`, () => ({
    title: r.title,
    note: r.note,
    goals: draftsOf(r.goals, all),
  }))
  const set = (change: Partial<{ title: string; note: string; goals: GoalDraft[] }>) =>
    setDraft((old) => ({ ...old, ...change }))
  const change = useSave(
    () => saveUnder((header) => patchRun(r.id, header, { title, note, goals: goalsOf(goals, all) })),
    unsaved,
    () => {
      onClose()
    },
  )
  return (
    <Form unsaved={unsaved} width="full" save={change}>
      <Written label="Title" value={title} onChange={(title) => set({ title })} />
      <GoalFields drafts={goals} signals={numbers} onChange={(goals) => set({ goals })} />
      <Written label="Notes" value={note} onChange={(note) => set({ note })} rows={4} />
      <Send send="Save" onCancel={onClose} />
    </Form>
  )
}

function Goals({ run: r }: { run: Page }) {
  if (!r.results.length) return null
  return (
    <Well>
      <ul aria-label="Goals">
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
  const told = (v: number | null, c: Page['courses'][number]) => (v == null ? '–' : say(v, c.unit, c.step))
  return (
    <>
      <Subheading>Results</Subheading>
      <Scroll tabIndex={0} role="region" aria-label="Results">
        <Table>
          <Columns names={['Signal', 'Lowest', 'Mean over time', 'Highest']} />
          <tbody>
            {r.courses.map((c) => (
              <tr key={c.signal}>
                <td>
                  <PlainLink href={`/signals/${c.signal}`}>{c.called}</PlainLink>
                </td>
                <Num>
                  {told(c.lowest, c)} <Soft>{at(c.lowest_at)}</Soft>
                </Num>
                <Num>{told(c.mean, c)}</Num>
                <Num>
                  {told(c.highest, c)} <Soft>{at(c.highest_at)}</Soft>
                </Num>
              </tr>
            ))}
            {r.sums.map((s) => (
              <tr key={s.total}>
                <td>
                  <PlainLink href={`/totals/${s.total}`}>{s.called}</PlainLink>
                </td>
                <Num colSpan={3}>{sumWords(s)}</Num>
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
  const remove = () => removeRun(r.id)
  return (
    <Removal
      name="Remove the run"
      says="Its name, goals, phases and notes go; the readings stay. Take its report out first, if you want to keep it."
      act={remove}
      gone={{ kind: 'run', name: String(r.id) }}
      done={() => void go(`/assets/${r.asset}`)}
    />
  )
}
