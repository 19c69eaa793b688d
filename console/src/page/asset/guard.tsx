import { PickMany, PickOne } from '../../ui/picks'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate, useParams } from 'react-router'
import styled from 'styled-components'
import { calledAsset, putUnderGuard, useAsset } from '../../api/asset'
import { keyOf } from '../../api/changes'
import { type AssetPage, pathOf, type Signal, type WatchOrder } from '../../api/client'
import { useDevice } from '../../api/device'
import { useDraft } from '../../api/drafts'
import { type Draft, guardOf, isComplete, newRung } from '../../api/guard'
import { useRested } from '../../api/lines'
import { useContacts, useRosters } from '../../api/people'
import { useSignals } from '../../api/signal'
import { useSession } from '../../api/site'
import { seen } from '../../api/units'
import { fullTitle, readsAs } from '../../api/words'
import { AssetChart } from './chart'
import { GuardFields } from '../guard/fields'
import { Above, Beside, Failure, Heading, PlainLink, QuietButton, Row, Soft, Subheading, Well } from '../../ui/basics'
import { Fields, Foot, Form, Send, useSave, Written as Text } from '../../ui/form'
import { NoPage } from '../../ui/no-page'

const Sentence = styled.p`
  font-size: var(--step-1);
  max-width: 62ch;
  margin: 0;
`

/** Puts an asset under guard on one page: what is measured, how often, which limits, who is told; and the sentence that sums
 *  it up. Nothing has to come before anything else. */
export function AssetGuardPage() {
  const { asset: name = '' } = useParams()
  const page = useAsset(name)
  const signals = useSignals()
  const viewer = useSession().data?.role === 'viewer'
  const failed = page.error ?? signals.error
  if (failed) return <NoPage error={failed} />
  if (!page.data || !signals.data) return <Soft>Looking …</Soft>
  if (viewer) return <NoPage error={new Error('Adding guards takes the role keeper.')} />
  return (
    <Editor key={name} page={page.data} all={signals.data.filter((s) => s.kind === 'number' || s.kind === 'switch')} />
  )
}

const blank = (signal: Signal | undefined): Draft => {
  const now = signal ? seen(signal.value ?? 0, signal.unit) : 0
  return {
    name: '',
    rungs: signal ? [newRung(signal, Number((now + Math.max(1, Math.abs(now) * 0.2)).toPrecision(2)))] : [],
    latch: false,
    armed: '',
    suppressed: '',
    tell: '',
    leastGap: '0s',
    templates: [],
    advice: '',
  }
}

type Written = { path: string; guard: Draft; interval: string; sparing: string }

function Editor({ page: p, all }: { page: AssetPage; all: Signal[] }) {
  const own = p.signals.map(pathOf)
  const guarded = new Set(p.guards.map((g) => g.signal))
  const first = own.find((s) => !guarded.has(s)) ?? own[0] ?? ''
  const [d, put, unsaved] = useDraft<Written>(`guard of the asset ${p.asset.name}`, () => ({
    path: first,
    guard: blank(all.find((s) => pathOf(s) === first)),
    interval: '',
    sparing: '',
  }))
  const { path, guard: draft, interval, sparing } = d
  const set = (change: Partial<Written>) => put((old) => ({ ...old, ...change }))
  const setDraft = (guard: Draft) => set({ guard })
  const signal = all.find((s) => pathOf(s) === path)
  const device = useDevice(signal?.device ?? '', 60_000).data
  const go = useNavigate()
  const keeper = useSession().data?.role !== 'viewer'
  const rung = (i: number, change: Partial<Draft['rungs'][number]>) =>
    put((old) => ({
      ...old,
      guard: { ...old.guard, rungs: old.guard.rungs.map((r, j) => (j === i ? { ...r, ...change } : r)) },
    }))
  const order = (signal: Signal, trying: boolean): WatchOrder => ({
    guard: guardOf(draft, signal),
    ...(interval ? { interval } : {}),
    ...(sparing ? { sparing_interval: sparing } : {}),
    try: trying,
  })
  const save = useSave(
    async () => {
      if (!signal || !isComplete(draft)) throw new Error('A limit is missing.')
      return putUnderGuard(p.asset.name, order(signal, false))
    },
    unsaved,
    () => void go(`/assets/${p.asset.name}`),
  )
  return (
    <>
      <title>{`Guard ${calledAsset(p.asset)} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/assets">Assets</PlainLink> ·{' '}
        <PlainLink href={`/assets/${p.asset.name}`}>{calledAsset(p.asset)}</PlainLink>
      </Above>
      <Heading>Put {calledAsset(p.asset)} under guard</Heading>
      <Form may={keeper} unsaved={unsaved} width="full" save={save}>
        <Well data-sentence>
          {signal ? (
            isComplete(draft) ? (
              <Said asset={p.asset.name} order={order(signal, true)} />
            ) : (
              <Sentence>A limit is missing.</Sentence>
            )
          ) : (
            <Sentence>Choose what is measured, and the sentence that sums it up stands here.</Sentence>
          )}
          <Foot>
            <Send send="Add guard" off={!signal} />
          </Foot>
        </Well>
        <Beside>
          <div>
            <Subheading>Signal</Subheading>
            <Measured
              all={all}
              own={own}
              chosen={path}
              onChoose={(s) => set({ path: pathOf(s), guard: { ...blank(s), tell: draft.tell, advice: draft.advice } })}
            />
            {signal?.kind === 'number' && <AssetChart key={path} signals={[signal]} range="168h" />}
            <Subheading>Interval</Subheading>
            <Fields>
              <Text
                label="Measuring interval"
                value={interval}
                onChange={(interval) => set({ interval })}
                hint={device?.settings.interval ? `now ${device.settings.interval}` : 'as it does; 1s to 1d, like 5m'}
              />
              <Text
                label="Interval when the battery is low"
                value={sparing}
                onChange={(sparing) => set({ sparing })}
                hint={device?.settings.sparing_interval ? `now ${device.settings.sparing_interval}` : 'like 1h'}
              />
            </Fields>
            <Subheading>Tell</Subheading>
            <Told value={draft.tell} onChange={(tell) => setDraft({ ...draft, tell })} />
          </div>
          <div>
            <Subheading>Limits</Subheading>
            {signal ? (
              <GuardFields draft={draft} signal={signal} onChange={setDraft} onRung={rung} />
            ) : (
              <Soft>They are those of what is measured.</Soft>
            )}
          </div>
        </Beside>
      </Form>
    </>
  )
}

/** The sentence, as the service says it of what is written; what is wrong with it stands in its place. */
function Said({ asset, order }: { asset: string; order: WatchOrder }) {
  const rested = useRested(order, 250)
  const said = useQuery({
    queryKey: keyOf('watch', asset, rested),
    queryFn: () => putUnderGuard(asset, rested),
    placeholderData: keepPreviousData,
    retry: false,
  })
  if (said.error) return <Failure error={said.error} />
  return <Sentence role="status">{said.data?.sentence ?? '…'}</Sentence>
}

type MeasuredProps = { all: Signal[]; own: string[]; chosen: string; onChoose: (s: Signal) => void }

/** The asset's own signals first, then all others. */
function Measured({ all, own, chosen, onChoose }: MeasuredProps) {
  const [words, setWords] = useState('')
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean)
  const fits = all.filter((s) => wanted.every((w) => `${fullTitle(s)} ${pathOf(s)}`.toLowerCase().includes(w)))
  const first = [...fits].sort((a, b) => Number(own.includes(pathOf(b))) - Number(own.includes(pathOf(a))))
  return (
    <>
      <Text label="Find" value={words} onChange={setWords} hint="any device may look after it" />
      <PickOne
        label="Signal"
        items={first.slice(0, 100).map((s) => ({ value: pathOf(s), text: fullTitle(s), says: readsAs(s) }))}
        picked={chosen}
        onChange={(path) => onChoose(first.find((s) => pathOf(s) === path)!)}
      />
    </>
  )
}

/** Rosters and contacts, to be picked. */
function Told({ value, onChange }: { value: string; onChange: (tell: string) => void }) {
  const rosters = useRosters().data ?? []
  const contacts = useContacts().data ?? []
  const email = useSession().data?.email ?? ''
  const picked = value.split(/[\s,;]+/).filter(Boolean)
  const names = [
    ...rosters.map((r) => ({ value: r.name ?? '', text: r.name ?? '', says: 'roster' })),
    ...contacts.map((c) => ({ value: c.name ?? '', text: c.name ?? '', says: 'contact' })),
  ]
  return (
    <>
      <PickMany
        label="Rosters and contacts"
        items={names}
        picked={picked}
        onChange={(names) => onChange(names.join(', '))}
      />
      {!picked.includes(email) && picked.length === 0 && (
        <Row $above={2}>
          <QuietButton onPress={() => onChange(email)}>Tell me</QuietButton>
        </Row>
      )}
    </>
  )
}
