import { Lines } from '../../ui/list'
import { useState } from 'react'
import { calledAsset, useAssets } from '../../api/asset'
import { pathOf, type Plan } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { removePlan, addPlan, usePlans, useRuns } from '../../api/run'
import { useSignals } from '../../api/signal'
import { useSession } from '../../api/site'
import { fullTitle } from '../../api/words'
import { type GoalDraft, GoalFields, goalsOf } from './goal-fields'
import { RunTable } from './of-asset'
import { Above, Heading, PlainLink, Prose, QuietButton, QuietLink, Row, Soft, Subheading } from '../../ui/basics'
import { Choice } from '../../ui/choice'
import { Dialog } from '../../ui/dialog'
import { Form, Select, Send, useSave, Written } from '../../ui/form'
import { NoPage } from '../../ui/no-page'
import { Sure } from '../../ui/sure'

/** All runs, to look at and to compare; and the plans that start them by themselves. */
export function Runs() {
  const runs = useRuns('')
  const keeper = useSession().data?.role !== 'viewer'
  const [picked, setPicked] = useState<number[]>([])
  if (runs.error) return <NoPage error={runs.error} />
  if (!runs.data) return <Soft>Looking …</Soft>
  const pick = (id: number) => setPicked((old) => (old.includes(id) ? old.filter((n) => n !== id) : [...old, id]))
  const on = runs.data.filter((r) => !r.ended_at).length
  return (
    <>
      <title>Runs · Jaunty Lark</title>
      <Above>
        <PlainLink href="/assets">Assets</PlainLink>
      </Above>
      <Heading>{on === 0 ? 'Runs' : on === 1 ? 'One run is on.' : `${on} runs are on.`}</Heading>
      {runs.data.length === 0 ? (
        <Prose>No runs yet. Start one on the page of an asset, or let a plan start them.</Prose>
      ) : (
        <>
          <Row $above={4}>
            <QuietLink href={`/runs/compare?runs=${picked.join(',')}`} isDisabled={picked.length < 2}>
              Compare
            </QuietLink>
            <Soft>{picked.length < 2 ? 'Pick two or more.' : `${picked.length} are picked.`}</Soft>
          </Row>
          <RunTable runs={runs.data} picked={picked} onPick={pick} withAsset />
        </>
      )}
      <Plans keeper={keeper} />
    </>
  )
}

function Plans({ keeper }: { keeper: boolean }) {
  const plans = usePlans()
  const [open, setOpen] = useState(false)
  const remove = (name: string) => removePlan(name)
  return (
    <>
      <Subheading>Plans</Subheading>
      {plans.data?.length === 0 && <Prose>A plan starts and ends runs by itself: by a schedule, or by a value.</Prose>}
      <Lines aria-label="Plans">
        {(plans.data ?? []).map((p) => (
          <li key={p.name}>
            <b>{p.title || p.name}</b> of <PlainLink href={`/assets/${p.asset}`}>{p.asset}</PlainLink>:{' '}
            {p.hours || `${p.signal} ${p.start}${p.end ? `, until it is ${p.end}` : ''}`}{' '}
            {keeper && (
              <Sure
                name={`Remove the plan ${p.title || p.name}`}
                says="No run starts by it any more; its runs stay."
                act={() => remove(p.name)}
                gone={{ kind: 'plan', name: p.name }}
              />
            )}
          </li>
        ))}
      </Lines>
      {keeper && <QuietButton onPress={() => setOpen(true)}>Add a plan …</QuietButton>}
      <Dialog title="New plan" open={open} onClose={() => setOpen(false)} wide>
        <NewPlan onClose={() => setOpen(false)} />
      </Dialog>
    </>
  )
}

type PlanDraft = {
  asset: string
  title: string
  by: 'hours' | 'value'
  hours: string
  signal: string
  start: string
  end: string
  goals: GoalDraft[]
}
const blankPlan: PlanDraft = {
  asset: '',
  title: '',
  by: 'hours',
  hours: 'daily 22:00-06:00',
  signal: '',
  start: '',
  end: '',
  goals: [],
}

function NewPlan({ onClose }: { onClose: () => void }) {
  const assets = useAssets().data ?? []
  const signals = useSignals().data ?? []
  const [d, setDraft, unsaved] = useDraft('new plan', blankPlan)
  const set = (change: Partial<PlanDraft>) => setDraft((old) => ({ ...old, ...change }))
  const { asset, title, by, hours, signal, start, end, goals } = d
  const chosen = asset || assets[0]?.name || ''
  const of = assets.find((a) => a.name === chosen)
  const has = (path: string) => of?.signals.some((n) => n === path || path.startsWith(`${n}/`))
  const own = signals.filter((s) => has(pathOf(s)))
  const numbers = own.filter((s) => s.kind === 'number')
  const source = signal || (own[0] ? pathOf(own[0]) : '')
  const save = useSave(
    async () => {
      const name = title
        .toLowerCase()
        .replace(/[^a-z0-9]+/g, '-')
        .replace(/^-|-$/g, '')
      const when = by === 'hours' ? { hours } : { signal: source, start, ...(end ? { end } : {}) }
      return addPlan(name, { asset: chosen, title, goals: goalsOf(goals, numbers), ...when } as Plan)
    },
    undefined,
    () => {
      unsaved.reset(blankPlan)
      onClose()
    },
  )
  return (
    <Form unsaved={unsaved} width="full" save={save}>
      <Select
        label="Asset"
        value={chosen}
        onChange={(asset) => set({ asset })}
        options={Object.fromEntries(assets.map((a) => [a.name, calledAsset(a)]))}
      />
      <Written
        label="Title of its runs"
        value={title}
        onChange={(title) => set({ title })}
        hint="night; their date is added"
      />
      <Choice
        label="By"
        options={{ hours: 'a schedule', value: 'a value' }}
        value={by}
        onChange={(by) => set({ by })}
      />
      {by === 'hours' ? (
        <Written
          label="Hours"
          value={hours}
          onChange={(hours) => set({ hours })}
          hint="daily 22:00-06:00; mon-fri 07:00-19:00"
        />
      ) : (
        <>
          <Select
            label="Signal"
            value={source}
            onChange={(signal) => set({ signal })}
            options={Object.fromEntries(own.map((s) => [pathOf(s), fullTitle(s)]))}
          />
          <Written
            label="Starts when the signal is"
            value={start}
            onChange={(start) => set({ start })}
            hint="above 40; on: is on"
          />
          <Written
            label="Ends when the signal is"
            value={end}
            onChange={(end) => set({ end })}
            hint="below 35; left empty: not that any more"
          />
        </>
      )}
      <GoalFields drafts={goals} signals={numbers} onChange={(goals) => set({ goals })} />
      <Send send="Add" off={!title.trim() || !chosen} onCancel={onClose} />
    </Form>
  )
}
