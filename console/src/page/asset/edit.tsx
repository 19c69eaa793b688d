import { PickMany } from '../../ui/picks'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import {
  calledAsset,
  conditionWords,
  lookAtAsset,
  patchAsset,
  removeAsset,
  setCondition,
  useAssets,
} from '../../api/asset'
import { api, type AssetPage, type Condition, pathOf, take } from '../../api/client'
import { useDevices } from '../../api/device'
import { useDraft } from '../../api/drafts'
import { useOutputs } from '../../api/output'
import { useSignals } from '../../api/signal'
import { fullTitle } from '../../api/words'
import { QuietButton, Subheading } from '../../ui/basics'
import { Dialog } from '../../ui/dialog'
import { Changing, type SaveUnder } from '../../ui/changing'
import { Form, Select, Send, useSave, Written } from '../../ui/form'
import { Removal } from '../../ui/sure'

/** How it is: in order, needs attention, out of order, retired; and why. */
export function ConditionIt({ asset: a }: { asset: AssetPage['asset'] }) {
  const [open, setOpen] = useState(false)
  const [d, setDraft, unsaved] = useDraft(`condition of ${a.name}`, { condition: a.condition, why: '' })
  const say = useSave(
    () => setCondition(a.name, d.condition, d.why),
    undefined,
    () => {
      unsaved.reset({ condition: d.condition, why: '' })
      setOpen(false)
    },
  )
  const close = () => setOpen(false)
  return (
    <>
      <QuietButton onPress={() => setOpen(true)}>Set condition …</QuietButton>
      <Dialog title={`Condition of ${calledAsset(a)}`} open={open} onClose={close}>
        <Form unsaved={unsaved} save={say}>
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
          <Send send="Set" onCancel={close} />
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
        <Changing of={`asset ${page.asset.name}`} look={() => lookAtAsset(page.asset.name)}>
          {(begun, save) => <Change page={begun} saveUnder={save} onClose={() => setOpen('')} />}
        </Changing>
      </Dialog>
      <Dialog title={`Note about ${calledAsset(page.asset)}`} open={open === 'note'} onClose={() => setOpen('')}>
        <Note name={page.asset.name} onClose={() => setOpen('')} />
      </Dialog>
    </>
  )
}

function Note({ name, onClose }: { name: string; onClose: () => void }) {
  const [text, setText, unsaved] = useDraft(`note about ${name}`, '')
  const write = useSave(
    () => take(api.POST('/api/v1/journal', { body: { text, of: `asset ${name}` } })),
    undefined,
    () => {
      unsaved.reset('')
      onClose()
    },
  )
  return (
    <Form unsaved={unsaved} save={write}>
      <Written label="Note" value={text} onChange={setText} rows={3} />
      <Send send="Add" off={!text.trim()} onCancel={onClose} />
    </Form>
  )
}

type ChangeProps = { page: AssetPage; saveUnder: SaveUnder; onClose: () => void }

function Change({ page: p, saveUnder, onClose }: ChangeProps) {
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
  const change = useSave(
    () => saveUnder((header) => patchAsset(a.name, header, d)),
    unsaved,
    () => {
      onClose()
    },
  )

  return (
    <Form save={change} unsaved={unsaved} width="full">
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
      <Send send="Save" onCancel={onClose} />
    </Form>
  )
}

type BelongsProps = {
  signals: string[]
  setSignals: (next: string[]) => void
  outputs: string[]
  setOutputs: (next: string[]) => void
}

/** What was picked of a kind, without the word for it. */
const named = (picked: string[], kind: string) =>
  picked.filter((p) => p.startsWith(kind)).map((p) => p.slice(kind.length))

/** Which devices, signals and outputs belong to it: a device with all that it has, or single ones. */
function Belongs({ signals, setSignals, outputs, setOutputs }: BelongsProps) {
  const [words, setWords] = useState('')
  const devices = useDevices().data ?? []
  const all = useSignals().data ?? []
  const switches = useOutputs().data?.outputs ?? []
  const wanted = words.toLowerCase()
  const fits = (text: string) => text.toLowerCase().includes(wanted)
  const items = [
    ...devices.map((d) => ({ value: `signal ${d.name}`, text: d.title ?? d.name, says: 'all of the device' })),
    ...all
      .filter((s) => !signals.includes(s.device))
      .map((s) => ({ value: `signal ${pathOf(s)}`, text: fullTitle(s), says: 'signal' })),
    ...switches.map((o) => ({
      value: `output ${o.device}/${o.name}`,
      text: `${o.device} ${o.title || o.name}`,
      says: 'output',
    })),
  ]
  return (
    <div>
      <Subheading $flush>Signals and outputs</Subheading>
      <Written label="Find" value={words} onChange={setWords} />
      <PickMany
        label="Signals and outputs"
        items={items.filter((i) => fits(`${i.text} ${i.value}`))}
        picked={[...signals.map((s) => `signal ${s}`), ...outputs.map((o) => `output ${o}`)]}
        onChange={(picked) => {
          setSignals(named(picked, 'signal '))
          setOutputs(named(picked, 'output '))
        }}
      />
    </div>
  )
}

/** Removing it; for 30 days it can be brought back. */
export function Leave({ name, parts }: { name: string; parts: number }) {
  const go = useNavigate()
  const remove = () => removeAsset(name)
  if (parts > 0) return null
  return (
    <Removal
      name={`Remove the asset ${name}`}
      says="Its photos, papers and runs go with it; signals, guards and readings stay."
      act={remove}
      gone={{ kind: 'asset', name: name }}
      done={() => void go('/assets')}
    />
  )
}
