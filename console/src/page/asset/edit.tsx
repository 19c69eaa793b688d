import { type FormEvent, useState } from 'react'
import { useNavigate } from 'react-router'
import {
  calledAsset,
  changeAsset,
  conditionWords,
  removeAsset,
  setCondition,
  useAssetAct,
  useAssets,
} from '../../api/assets'
import { api, type AssetPage, type Condition, pathOf, take } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { useOutputs } from '../../api/outputs'
import { useDevices, useSignals } from '../../api/queries'
import { fullTitle } from '../../api/words'
import { Failure, QuietButton, Soft, Subheading } from '../../ui/basics'
import { Dialog } from '../../ui/dialog'
import { Form, Select, Send, Written } from '../../ui/form'
import { Sure } from '../../ui/sure'
import { PickList } from '../board/arrange-add'

/** How it is: in order, needs attention, out of order, retired; and why. */
export function ConditionIt({ asset: a }: { asset: AssetPage['asset'] }) {
  const [open, setOpen] = useState(false)
  const [d, setDraft, unsaved] = useDraft(`condition of ${a.name}`, { condition: a.condition, why: '' })
  const say = useAssetAct(() => setCondition(a.name, d.condition, d.why))
  const close = () => setOpen(false)
  return (
    <>
      <QuietButton onPress={() => setOpen(true)}>Set condition …</QuietButton>
      <Dialog title={`Condition of ${calledAsset(a)}`} open={open} onClose={close}>
        <Form
          unsaved={unsaved}
          onSubmit={(e) => {
            e.preventDefault()
            say.mutate(undefined, {
              onSuccess: () => {
                unsaved.reset({ condition: d.condition, why: '' })
                close()
              },
            })
          }}
        >
          <Select
            label="Condition"
            value={d.condition}
            onChange={(v) => setDraft({ ...d, condition: v as Condition })}
            options={conditionWords as Record<string, string>}
          />
          <Written
            label="Why"
            value={d.why}
            onChange={(why) => setDraft({ ...d, why })}
            hint="in your words; the journal keeps it"
          />
          <Send send="Set" pending={say.isPending} unsaved={unsaved} onCancel={close} />
          {say.error && <Failure error={say.error} />}
        </Form>
      </Dialog>
    </>
  )
}

/** What is said of it, and what belongs to it; and a note for the journal. */
export function AssetEdit({ page }: { page: AssetPage }) {
  const [open, setOpen] = useState<'' | 'change' | 'note'>('')
  return (
    <>
      <QuietButton onPress={() => setOpen('note')}>Add a note …</QuietButton>
      <QuietButton onPress={() => setOpen('change')}>Edit …</QuietButton>
      <Dialog title={`Edit ${calledAsset(page.asset)}`} open={open === 'change'} onClose={() => setOpen('')} wide>
        <Change page={page} onClose={() => setOpen('')} />
      </Dialog>
      <Dialog title={`Note about ${calledAsset(page.asset)}`} open={open === 'note'} onClose={() => setOpen('')}>
        <Note name={page.asset.name} onClose={() => setOpen('')} />
      </Dialog>
    </>
  )
}

function Note({ name, onClose }: { name: string; onClose: () => void }) {
  const [text, setText, unsaved] = useDraft(`note about ${name}`, '')
  const write = useAssetAct(() => take(api.POST('/api/v1/journal', { body: { text, of: `asset ${name}` } })))
  return (
    <Form
      unsaved={unsaved}
      onSubmit={(e) => {
        e.preventDefault()
        write.mutate(undefined, {
          onSuccess: () => {
            unsaved.reset('')
            onClose()
          },
        })
      }}
    >
      <Written label="Note" value={text} onChange={setText} rows={3} />
      <Send send="Add" pending={write.isPending} off={!text.trim()} unsaved={unsaved} onCancel={onClose} />
      {write.error && <Failure error={write.error} />}
    </Form>
  )
}

function Change({ page: p, onClose }: { page: AssetPage; onClose: () => void }) {
  const a = p.asset
  const assets = useAssets().data ?? []
  const [d, setDraft, unsaved] = useDraft(`asset ${a.name}`, {
    title: a.title ?? '',
    kind: a.kind ?? '',
    in: a.in ?? '',
    note: a.note ?? '',
    next_service: a.next_service ?? '',
    signals: a.signals,
    outputs: a.outputs,
  })
  const set = (change: Partial<typeof d>) => setDraft((old) => ({ ...old, ...change }))
  const change = useAssetAct(() => changeAsset(a.name, d))
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    change.mutate(undefined, {
      onSuccess: () => {
        unsaved.done()
        onClose()
      },
    })
  }
  return (
    <Form onSubmit={submit} unsaved={unsaved} style={{ maxWidth: 'none' }}>
      <Written label="Title" value={d.title} onChange={(title) => set({ title })} />
      <Written label="Kind" value={d.kind} onChange={(kind) => set({ kind })} hint="like pump, cabinet, room" />
      <Select
        label="Stands in"
        value={d.in}
        onChange={(v) => set({ in: v })}
        options={{
          '': 'nothing',
          ...Object.fromEntries(assets.filter((o) => o.name !== a.name).map((o) => [o.name, calledAsset(o)])),
        }}
      />
      <Written
        label="Next service"
        type="date"
        value={d.next_service}
        onChange={(next_service) => set({ next_service })}
      />
      <Written label="Notes" rows={6} hint="Markdown" value={d.note} onChange={(note) => set({ note })} />
      <Belongs
        signals={d.signals}
        setSignals={(signals) => set({ signals })}
        outputs={d.outputs}
        setOutputs={(outputs) => set({ outputs })}
      />
      <Send send="Save" pending={change.isPending} unsaved={unsaved} onCancel={onClose} />
      {change.error && <Failure error={change.error} />}
    </Form>
  )
}

type BelongsProps = {
  signals: string[]
  setSignals: (next: string[]) => void
  outputs: string[]
  setOutputs: (next: string[]) => void
}

const toggled = (list: string[], name: string) =>
  list.includes(name) ? list.filter((n) => n !== name) : [...list, name]

/** Which devices, signals and outputs belong to it: a device with all that it has, or single ones. */
function Belongs({ signals, setSignals, outputs, setOutputs }: BelongsProps) {
  const [words, setWords] = useState('')
  const devices = useDevices().data ?? []
  const all = useSignals().data ?? []
  const switches = useOutputs().data?.outputs ?? []
  const wanted = words.toLowerCase()
  const fits = (text: string) => text.toLowerCase().includes(wanted)
  return (
    <div>
      <Subheading style={{ margin: '0 0 8px' }}>Signals and outputs</Subheading>
      <Written label="Find" value={words} onChange={setWords} />
      <PickList role="group" aria-label="Signals and outputs">
        {devices
          .filter((d) => fits(`${d.title} ${d.name}`))
          .map((d) => (
            <label key={d.name}>
              <input
                type="checkbox"
                checked={signals.includes(d.name)}
                onChange={() => setSignals(toggled(signals, d.name))}
              />
              <span>{d.title}</span>
              <Soft>all of the device</Soft>
            </label>
          ))}
        {all
          .filter((s) => fits(`${fullTitle(s)} ${pathOf(s)}`) && !signals.includes(s.device))
          .map((s) => (
            <label key={s.id}>
              <input
                type="checkbox"
                checked={signals.includes(pathOf(s))}
                onChange={() => setSignals(toggled(signals, pathOf(s)))}
              />
              <span>{fullTitle(s)}</span>
              <Soft>signal</Soft>
            </label>
          ))}
        {switches
          .filter((o) => fits(`${o.title} ${o.device}/${o.name}`))
          .map((o) => (
            <label key={`${o.device}/${o.name}`}>
              <input
                type="checkbox"
                checked={outputs.includes(`${o.device}/${o.name}`)}
                onChange={() => setOutputs(toggled(outputs, `${o.device}/${o.name}`))}
              />
              <span>
                {o.device} {o.title || o.name}
              </span>
              <Soft>output</Soft>
            </label>
          ))}
      </PickList>
    </div>
  )
}

/** Removing it; for 30 days it can be brought back. */
export function Leave({ name, parts }: { name: string; parts: number }) {
  const go = useNavigate()
  const remove = useAssetAct(() => removeAsset(name))
  if (parts > 0) return null
  return (
    <div style={{ marginTop: 'var(--gap-5)' }}>
      <Sure
        name={`Remove the asset ${name}`}
        says="Its photos, papers and runs go with it; signals, guards and readings stay."
        act={() => remove.mutateAsync(undefined)}
        gone={{ kind: 'asset', name: name }}
        error={remove.error}
        done={() => void go('/assets')}
      />
    </div>
  )
}
