import { PickMany, PickOne } from '../../ui/picks'
import { useState } from 'react'
import styled from 'styled-components'
import type { Kind, Placed } from '../../api/board'
import { pathOf, type Signal, type Tile } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { titleOf, useOutputs } from '../../api/output'
import { useSignals } from '../../api/signal'
import { useTotals } from '../../api/total'
import { fullTitle, readsAs } from '../../api/words'
import { PictureChoice } from './arrange-pins'
import { heightOf, TileView } from '../../tile/grid'
import { fitting, kinds } from '../../tile/kinds'
import { Button, Prose, QuietButton, Row, Soft } from '../../ui/basics'
import { Choice } from '../../ui/choice'
import { Dialog } from '../../ui/dialog'
import { Written } from '../../ui/form'

export type NewTile = Omit<Placed, 'id' | 'x' | 'y'>

const Two = styled.div`
  display: grid;
  grid-template-columns: minmax(220px, 5fr) minmax(0, 7fr);
  gap: var(--gap-4);
  @media (max-width: 700px) {
    grid-template-columns: minmax(0, 1fr);
  }
`
const Preview = styled.div`
  min-height: 230px;
  > div {
    max-height: 380px;
    overflow: hidden;
  }
`

const sources = {
  signals: 'Signals',
  outputs: 'Outputs',
  total: 'A total',
  frames: 'Frames',
  note: 'Words',
  mimic: 'A picture',
  journal: 'Journal',
}
type Source = keyof typeof sources

type Props = { open: boolean; onClose: () => void; onAdd: (tile: NewTile) => void }

/** A new tile in three clicks: this window, what it is to show, and that it goes on the board. */
export function AddTile({ open, onClose, onAdd }: Props) {
  return (
    <Dialog title="New tile" open={open} onClose={onClose} wide>
      <Adding onClose={onClose} onAdd={onAdd} />
    </Dialog>
  )
}

function Adding({ onClose, onAdd }: Omit<Props, 'open'>) {
  const [source, setSource] = useState<Source>('signals')
  const [picked, setPicked] = useState<string[]>([])
  const [kind, setKind] = useState<Kind>()
  const [text, setText, unsaved] = useDraft(`new note on ${location.pathname}`, '')
  const [picture, setPicture] = useState(0)
  const all = useSignals().data ?? []
  const signals = picked.flatMap((p) => all.find((s) => pathOf(s) === p) ?? [])
  const offered = fitting(signals)
  const chosen = kind && offered.includes(kind) ? kind : offered[0]
  const tile = made(source, { signals: picked, kind: chosen, text, picture })
  const change = (next: Source) => {
    setSource(next)
    setPicked([])
  }
  return (
    <>
      <Choice label="Content" options={sources} value={source} onChange={change} />
      <Two>
        <div>
          {source === 'signals' && <SignalPicks all={all} picked={picked} onChange={setPicked} />}
          {source === 'outputs' && <OutputPicks picked={picked} onChange={setPicked} />}
          {source === 'total' && <TotalPicks picked={picked} onChange={setPicked} />}
          {source === 'frames' && <EyePicks picked={picked} onChange={setPicked} />}
          {source === 'note' && (
            <Written
              label="Text"
              value={text}
              onChange={setText}
              rows={8}
              hint="Markdown: # heading, **bold**, - list, [words](address)"
            />
          )}
          {source === 'mimic' && <PictureChoice value={picture} onChange={setPicture} />}
          {source === 'journal' && (
            <Prose>
              What is wrong now, and what happened on the whole site. Pick signals instead to see what is about them
              alone.
            </Prose>
          )}
        </div>
        <div>
          {source === 'signals' && offered.length > 0 && chosen && (
            <Choice
              label="Kind of tile"
              options={Object.fromEntries(offered.map((k) => [k, kinds[k].name])) as Record<Kind, string>}
              value={chosen}
              onChange={setKind}
            />
          )}
          <Preview>
            {tile ? (
              <div
                style={{ height: heightOf(tile.h), width: `${Math.min(100, (100 * tile.w) / 8)}%` }}
                inert
                data-preview={tile.kind}
              >
                <TileView
                  key={JSON.stringify([tile.kind, picked, picture])}
                  tile={{ ...tile, id: 'preview', x: 0, y: 0 }}
                />
              </div>
            ) : (
              <Soft>Here you see it as it will be.</Soft>
            )}
          </Preview>
          <Row $above={3}>
            <Button
              isDisabled={!tile}
              onPress={() => {
                if (!tile) return
                if (source === 'note') unsaved.reset('')
                onAdd(tile)
              }}
            >
              Add to the board
            </Button>
            <QuietButton onPress={onClose}>Cancel</QuietButton>
          </Row>
        </div>
      </Two>
    </>
  )
}

type Picks = { signals: string[]; kind?: Kind; text: string; picture: number }

/** The tile that is proposed for what was picked. */
function made(source: Source, p: Picks): NewTile | undefined {
  const sized = (kind: Kind, rest: Partial<Tile>): NewTile => ({
    ...rest,
    kind,
    w: kinds[kind].size[0],
    h: kinds[kind].size[1],
  })
  switch (source) {
    case 'outputs':
      return p.signals.length
        ? { ...sized('switch', { outputs: p.signals }), h: Math.max(3, 1 + 2 * p.signals.length) }
        : undefined
    case 'total':
      return p.signals[0] ? sized('total', { total: p.signals[0], by: 'month' }) : undefined
    case 'frames':
      return p.signals[0] ? sized('frames', { device: p.signals[0] }) : undefined
    case 'note':
      return p.text.trim() ? sized('note', { text: p.text }) : undefined
    case 'mimic':
      return p.picture ? sized('mimic', { picture: p.picture, pins: [] }) : undefined
    case 'journal':
      return sized('journal', {})
    default:
      return p.kind && p.signals.length ? sized(p.kind, { series: p.signals.map((signal) => ({ signal })) }) : undefined
  }
}

type PicksProps = { picked: string[]; onChange: (picked: string[]) => void }

/** The devices that send thermal frames. */
function EyePicks({ picked, onChange }: PicksProps) {
  const eyes = useSignals().data?.filter((s) => s.name === 'hottest-x') ?? []
  if (!eyes.length) return <Prose>No device has sent a thermal frame yet.</Prose>
  return (
    <PickOne
      label="Devices that send frames"
      items={eyes.map((s) => ({ value: s.device, text: s.device_title }))}
      picked={picked[0] ?? ''}
      onChange={(device) => onChange([device])}
    />
  )
}

export function SignalPicks({ all, picked, onChange }: PicksProps & { all: Signal[] }) {
  const [words, setWords] = useState('')
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean)
  const fits = all.filter((s) => wanted.every((w) => `${fullTitle(s)} ${pathOf(s)}`.toLowerCase().includes(w)))
  return (
    <>
      <Written label="Find" value={words} onChange={setWords} />
      <PickMany
        label="Signals"
        items={fits.slice(0, 200).map((s) => ({ value: pathOf(s), text: fullTitle(s), says: readsAs(s) }))}
        picked={picked}
        onChange={onChange}
        none="No signal is called that."
      />
    </>
  )
}

export function OutputPicks({ picked, onChange }: PicksProps) {
  const outputs = useOutputs().data?.outputs ?? []
  if (!outputs.length) return <Prose>There are no outputs yet.</Prose>
  return (
    <PickMany
      label="Outputs"
      items={outputs.map((o) => ({ value: `${o.device}/${o.name}`, text: titleOf(o), says: o.device }))}
      picked={picked}
      onChange={onChange}
    />
  )
}

function TotalPicks({ picked, onChange }: PicksProps) {
  const totals = useTotals().data ?? []
  if (!totals.length) return <Prose>Nothing is added up yet.</Prose>
  return (
    <PickOne
      label="Totals"
      items={totals.map((t) => ({ value: t.name, text: t.title || t.name }))}
      picked={picked[0] ?? ''}
      onChange={(total) => onChange([total])}
    />
  )
}
