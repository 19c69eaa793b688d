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
} from '../api/assets'
import { api, type AssetPage, type Condition, pathOf, take } from '../api/client'
import { useOutputs } from '../api/outputs'
import { useDevices, useSignals } from '../api/queries'
import { fullTitle } from '../api/words'
import { Button, Failure, QuietButton, Row, Soft, Subheading } from '../ui/basics'
import { Dialog } from '../ui/dialog'
import { fieldsOf, Form, Pick, Select, TextInput, Written } from '../ui/form'
import { Sure } from '../ui/sure'
import { PickList } from './arrange-add'

/** How it is: in order, needs attention, out of order, retired; and why. */
export function ConditionIt({ asset: a }: { asset: AssetPage['asset'] }) {
  const [open, setOpen] = useState(false)
  const [condition, set] = useState<Condition>(a.condition)
  const [why, setWhy] = useState('')
  const say = useAssetAct(() => setCondition(a.name, condition, why))
  return (
    <>
      <QuietButton
        onPress={() => {
          set(a.condition)
          setWhy('')
          setOpen(true)
        }}
      >
        Say how it is …
      </QuietButton>
      <Dialog title={`How is ${calledAsset(a)}?`} open={open} onClose={() => setOpen(false)}>
        <Form
          onSubmit={(e) => {
            e.preventDefault()
            say.mutate(undefined, { onSuccess: () => setOpen(false) })
          }}
        >
          <Select
            label="It is"
            value={condition}
            onChange={(v) => set(v as Condition)}
            options={conditionWords as Record<string, string>}
          />
          <Written label="Why" value={why} onChange={setWhy} hint="in your words; the journal keeps it" />
          <Row>
            <Button type="submit" isDisabled={say.isPending}>
              Say so
            </Button>
            <QuietButton onPress={() => setOpen(false)}>Leave it</QuietButton>
          </Row>
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
      <QuietButton onPress={() => setOpen('note')}>Write a note …</QuietButton>
      <QuietButton onPress={() => setOpen('change')}>Change it …</QuietButton>
      <Dialog title={`Change ${calledAsset(page.asset)}`} open={open === 'change'} onClose={() => setOpen('')} wide>
        <Change page={page} onClose={() => setOpen('')} />
      </Dialog>
      <Dialog title={`A note about ${calledAsset(page.asset)}`} open={open === 'note'} onClose={() => setOpen('')}>
        <Note name={page.asset.name} onClose={() => setOpen('')} />
      </Dialog>
    </>
  )
}

function Note({ name, onClose }: { name: string; onClose: () => void }) {
  const [text, setText] = useState('')
  const write = useAssetAct(() => take(api.POST('/api/v1/journal', { body: { text, of: `asset ${name}` } })))
  return (
    <Form
      onSubmit={(e) => {
        e.preventDefault()
        write.mutate(undefined, { onSuccess: onClose })
      }}
    >
      <Written label="What was done or seen" value={text} onChange={setText} rows={3} />
      <Row>
        <Button type="submit" isDisabled={!text.trim() || write.isPending}>
          Write it
        </Button>
        <QuietButton onPress={onClose}>Leave it</QuietButton>
      </Row>
      {write.error && <Failure error={write.error} />}
    </Form>
  )
}

function Change({ page: p, onClose }: { page: AssetPage; onClose: () => void }) {
  const a = p.asset
  const assets = useAssets().data ?? []
  const [signals, setSignals] = useState(a.signals)
  const [outputs, setOutputs] = useState(a.outputs)
  const change = useAssetAct((f: Record<string, string>) =>
    changeAsset(a.name, {
      title: f.title ?? '',
      kind: f.kind ?? '',
      in: f.in ?? '',
      note: f.note ?? '',
      next_service: f.next_service ?? '',
      signals,
      outputs,
    }),
  )
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    change.mutate(fieldsOf(e.currentTarget), { onSuccess: onClose })
  }
  return (
    <Form onSubmit={submit} style={{ maxWidth: 'none' }}>
      <TextInput label="Called" name="title" optional defaultValue={a.title} />
      <TextInput label="What it is" name="kind" optional defaultValue={a.kind} />
      <Pick
        label="Stands in"
        name="in"
        none="nothing"
        defaultValue={a.in}
        options={assets.filter((o) => o.name !== a.name).map((o) => ({ value: o.name, text: calledAsset(o) }))}
      />
      <TextInput label="Next service" name="next_service" type="date" optional defaultValue={a.next_service} />
      <TextInput label="Notes" name="note" optional rows={6} hint="Markdown" defaultValue={a.note} />
      <Belongs signals={signals} setSignals={setSignals} outputs={outputs} setOutputs={setOutputs} />
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
      <Subheading style={{ margin: '0 0 8px' }}>What belongs to it</Subheading>
      <Written label="Find" value={words} onChange={setWords} />
      <PickList role="group" aria-label="What belongs to it">
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
        name="Remove it"
        says="Its photos, papers and runs go with it; signals, guards and readings stay. It can be brought back for 30 days."
        act={(after) => remove.mutate(undefined, after)}
        error={remove.error}
        done={() => void go(`/assets?removed=${name}`)}
      />
    </div>
  )
}
