import { useState } from 'react'
import styled from 'styled-components'
import { type Kind, type Placed } from '../../api/boards'
import { useDraft } from '../../api/drafts'
import { pathOf, type Signal, type Tile } from '../../api/client'
import { titleOf, useOutputs } from '../../api/outputs'
import { useSignals, useTotals } from '../../api/queries'
import { fullTitle, readsAs } from '../../api/words'
import { heightOf, TileView } from '../../tile/grid'
import { fitting, kinds } from '../../tile/kinds'
import { Button, Prose, QuietButton, Row, Soft } from '../../ui/basics'
import { Choice } from '../../ui/choice'
import { Dialog } from '../../ui/dialog'
import { Written } from '../../ui/form'
import { PictureChoice } from './arrange-pins'

export type NewTile = Omit<Placed, 'id' | 'x' | 'y'>

const Two = styled.div`
  display: grid;
  grid-template-columns: minmax(220px, 5fr) minmax(0, 7fr);
  gap: var(--gap-4);
  @media (max-width: 700px) {
    grid-template-columns: minmax(0, 1fr);
  }
`
export const PickList = styled.div`
  max-height: 330px;
  overflow: auto;
  border: var(--hair);
  margin-top: var(--gap-2);
  background: var(--surface);
  label {
    display: flex;
    gap: 8px;
    align-items: center;
    padding: 6px 10px;
    min-height: 34px;
    border-bottom: var(--hair);
    cursor: pointer;
  }
  label span {
    flex: 1;
    min-width: 0;
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
  const toggle = (path: string, one = false) => {
    setPicked((old) => (old.includes(path) ? old.filter((p) => p !== path) : one ? [path] : [...old, path]))
  }
  const change = (next: Source) => {
    setSource(next)
    setPicked([])
  }
  return (
    <>
      <Choice label="Content" options={sources} value={source} onChange={change} />
      <Two>
        <div>
          {source === 'signals' && <SignalPicks all={all} picked={picked} toggle={toggle} />}
          {source === 'outputs' && <OutputPicks picked={picked} toggle={toggle} />}
          {source === 'total' && <TotalPicks picked={picked} toggle={(p) => toggle(p, true)} />}
          {source === 'frames' && <EyePicks picked={picked} toggle={(p) => toggle(p, true)} />}
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
          <Row style={{ marginTop: 'var(--gap-3)' }}>
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

/** The devices that send thermal frames. */
function EyePicks({ picked, toggle }: PicksProps) {
  const eyes = useSignals().data?.filter((s) => s.name === 'hottest-x') ?? []
  if (!eyes.length) return <Prose>No device has sent a thermal frame yet.</Prose>
  return (
    <PickList role="group" aria-label="Devices that send frames">
      {eyes.map((s) => (
        <label key={s.id}>
          <input type="checkbox" checked={picked.includes(s.device)} onChange={() => toggle(s.device)} />
          <span>{s.device_title}</span>
        </label>
      ))}
    </PickList>
  )
}

type PicksProps = { picked: string[]; toggle: (path: string) => void }

export function SignalPicks({ all, picked, toggle }: PicksProps & { all: Signal[] }) {
  const [words, setWords] = useState('')
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean)
  const fits = all.filter((s) => wanted.every((w) => `${fullTitle(s)} ${pathOf(s)}`.toLowerCase().includes(w)))
  return (
    <>
      <Written label="Find" value={words} onChange={setWords} />
      <PickList role="group" aria-label="Signals">
        {fits.slice(0, 200).map((s) => (
          <label key={s.id}>
            <input type="checkbox" checked={picked.includes(pathOf(s))} onChange={() => toggle(pathOf(s))} />
            <span>{fullTitle(s)}</span>
            <Soft>{readsAs(s)}</Soft>
          </label>
        ))}
        {fits.length === 0 && <Prose style={{ padding: '0 10px' }}>No signal is called that.</Prose>}
      </PickList>
    </>
  )
}

export function OutputPicks({ picked, toggle }: PicksProps) {
  const outputs = useOutputs().data?.outputs ?? []
  if (!outputs.length) return <Prose>There are no outputs yet.</Prose>
  return (
    <PickList role="group" aria-label="Outputs">
      {outputs.map((o) => (
        <label key={o.id}>
          <input
            type="checkbox"
            checked={picked.includes(`${o.device}/${o.name}`)}
            onChange={() => toggle(`${o.device}/${o.name}`)}
          />
          <span>{titleOf(o)}</span>
          <Soft>{o.device}</Soft>
        </label>
      ))}
    </PickList>
  )
}

function TotalPicks({ picked, toggle }: PicksProps) {
  const totals = useTotals().data ?? []
  if (!totals.length) return <Prose>Nothing is added up yet.</Prose>
  return (
    <PickList role="group" aria-label="Totals">
      {totals.map((t) => (
        <label key={t.id}>
          <input type="radio" name="total" checked={picked.includes(t.name)} onChange={() => toggle(t.name)} />
          <span>{t.title || t.name}</span>
        </label>
      ))}
    </PickList>
  )
}
