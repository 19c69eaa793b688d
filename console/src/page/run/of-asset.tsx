import { Tick } from '../../ui/picks'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { calledAsset } from '../../api/asset'
import type { AssetPage, Run } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { useNow } from '../../api/live'
import { useAct } from '../../api/queries'
import { startRun, stopRun } from '../../api/run'
import { useSite } from '../../api/site'
import { clock, length } from '../../api/words'
import type { Stretch } from '../../chart/window'
import { AssetChart } from '../asset/chart'
import { type GoalDraft, GoalFields, goalsOf } from './goal-fields'
import {
  Columns,
  Failure,
  PlainLink,
  Prose,
  QuietButton,
  QuietLink,
  Row,
  Scroll,
  Soft,
  Subheading,
  Table,
} from '../../ui/basics'
import { Dialog } from '../../ui/dialog'
import { Form, Send, useSave, Written } from '../../ui/form'

/** The runs of an asset: the one that is on, those before, and how one comes about. */
export function RunsOf({ page: p, keeper }: { page: AssetPage; keeper: boolean }) {
  const [starting, setStarting] = useState<'' | 'now' | 'after'>('')
  const open = p.runs.find((r) => !r.ended_at && !r.plan)
  const stop = useAct((id: number) => stopRun(id))
  return (
    <>
      <Subheading>Runs</Subheading>
      {p.runs.length === 0 && (
        <Prose>
          A batch, a firing, a night: start a run, give it a goal, and see when it will get there. Runs can be compared.
        </Prose>
      )}
      {p.runs.length > 0 && <RunTable runs={p.runs.slice(0, 8)} />}
      {p.plans.map((plan) => (
        <Prose key={plan.name}>
          <PlainLink href="/runs">{plan.title || plan.name}</PlainLink>{' '}
          <Soft>
            starts by itself:{' '}
            {plan.hours || `${plan.signal} ${plan.start}${plan.end ? `, until it is ${plan.end}` : ''}`}
          </Soft>
        </Prose>
      ))}
      {keeper && (
        <Row>
          {open ? (
            <QuietButton onPress={() => stop.mutate(open.id)} isDisabled={stop.isPending}>
              End {open.title}
            </QuietButton>
          ) : (
            <QuietButton onPress={() => setStarting('now')}>Start a run …</QuietButton>
          )}
          {p.signals.length > 0 && (
            <QuietButton onPress={() => setStarting('after')}>Mark a run on the chart …</QuietButton>
          )}
          {p.runs.length > 1 && (
            <QuietLink
              href={`/runs/compare?runs=${p.runs
                .slice(0, 4)
                .map((r) => r.id)
                .join(',')}`}
            >
              Compare
            </QuietLink>
          )}
        </Row>
      )}
      {stop.error && <Failure error={stop.error} />}
      <Dialog
        title={starting === 'after' ? 'New run' : `A run of ${calledAsset(p.asset)}`}
        open={starting !== ''}
        onClose={() => setStarting('')}
        wide
      >
        <StartRun page={p} after={starting === 'after'} onClose={() => setStarting('')} />
      </Dialog>
    </>
  )
}

/** Starts one now, or marks one that is over: what is in view on the chart. */
function StartRun({ page: p, after, onClose }: { page: AssetPage; after: boolean; onClose: () => void }) {
  const go = useNavigate()
  const zone = useSite().data?.zone ?? 'UTC'
  const blank = { title: '', goals: [] as GoalDraft[] }
  const [{ title, goals }, setDraft, unsaved] = useDraft(`new run of ${p.asset.name}`, blank)
  const [stretch, setStretch] = useState<Stretch>()
  const numbers = p.signals.filter((s) => s.kind === 'number')
  const start = useSave(
    async () =>
      startRun({
        asset: p.asset.name,
        ...(title ? { title } : {}),
        goals: goalsOf(goals, numbers),
        ...(after && stretch
          ? { started_at: new Date(stretch.from).toISOString(), ended_at: new Date(stretch.until).toISOString() }
          : {}),
      }),
    undefined,
    (r) => {
      unsaved.reset(blank)
      void go(`/runs/${r.id}`)
    },
  )
  const moment: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }
  return (
    <Form unsaved={unsaved} width="full" save={start}>
      {after && (
        <AssetChart
          signals={p.signals}
          range="24h"
          beside={(view) => (
            <Row>
              <QuietButton isDisabled={!view} onPress={() => setStretch(view)}>
                Use the stretch in view
              </QuietButton>
              <Soft role="status">
                {stretch
                  ? `${clock(stretch.from, zone, moment)} to ${clock(stretch.until, zone, moment)}`
                  : 'Zoom to it: drag over the chart, or use the buttons.'}
              </Soft>
            </Row>
          )}
        />
      )}
      <Written
        label="Title"
        value={title}
        onChange={(title) => setDraft({ title, goals })}
        hint="like Batch 12; its date when empty"
      />
      <GoalFields drafts={goals} signals={numbers} onChange={(goals) => setDraft({ title, goals })} />
      <Send
        send={after ? 'Add run' : 'Start run'}
        off={after && !stretch}

        onCancel={onClose}
      />
    </Form>
  )
}

type TableProps = { runs: Run[]; picked?: number[]; onPick?: (id: number) => void; withAsset?: boolean }

/** Runs below each other; they can be picked to be compared. */
export function RunTable({ runs, picked, onPick, withAsset }: TableProps) {
  const now = useNow()
  const zone = useSite().data?.zone ?? 'UTC'
  const moment: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }
  return (
    <Scroll tabIndex={0} role="region" aria-label="Runs">
      <Table>
        <Columns
          names={[
            ...(onPick ? ['Compare'] : []),
            'Run',
            ...(withAsset ? ['Asset'] : []),
            'Started',
            'Lasted',
            'Result',
          ]}
        />
        <tbody>
          {runs.map((r) => (
            <tr key={r.id} data-run={r.id}>
              {onPick && (
                <td>
                  <Tick label={`Compare ${r.title}`} value={!!picked?.includes(r.id)} onChange={() => onPick(r.id)} />
                </td>
              )}
              <td>
                <PlainLink href={`/runs/${r.id}`}>{r.title}</PlainLink>
              </td>
              {withAsset && (
                <td>
                  <PlainLink href={`/assets/${r.asset}`}>{r.asset}</PlainLink>
                </td>
              )}
              <td>{clock(r.started_at, zone, moment)}</td>
              <td>
                {r.ended_at
                  ? length(Date.parse(r.ended_at) - Date.parse(r.started_at))
                  : `on for ${length(now - Date.parse(r.started_at))}`}
              </td>
              <td>{r.how}</td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Scroll>
  )
}
