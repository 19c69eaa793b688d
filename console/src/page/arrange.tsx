import { useRef, useState } from 'react'
import { useNavigate, useParams } from 'react-router'
import styled from 'styled-components'
import { boardTitle, dropDraft, type Placed, publish, useBoard, useBoardAct } from '../api/boards'
import type { Board } from '../api/client'
import { useSession } from '../api/queries'
import { SightProvider } from '../tile/context'
import { freeID, withTile } from '../tile/arrange'
import { Grid } from '../tile/grid'
import { Above, Button, Failure, Heading, PlainLink, Prose, QuietButton, Row, Soft } from '../ui/basics'
import { Choice } from '../ui/choice'
import { Dialog } from '../ui/dialog'
import { Fields, Form, Select, Written } from '../ui/form'
import { AddTile } from './arrange-add'
import { useDraft } from './arrange-draft'
import { TileFields } from './arrange-fields'
import { ArrangeGrid } from './arrange-grid'
import { asChosen, lengths, withOwn } from './arrange-lengths'
import { useBoardSight } from './board-sight'

const Bar = styled.div`
  position: sticky;
  top: 0;
  z-index: 3;
  background: var(--paper);
  border-bottom: var(--hair);
  padding: var(--gap-2) 0;
  margin-bottom: var(--gap-3);
  display: flex;
  flex-wrap: wrap;
  gap: var(--gap-2);
  align-items: center;
`
const Phone = styled.div`
  width: 390px;
  max-width: 100%;
  border: 1px solid var(--ink-soft);
  border-radius: 14px;
  padding: 14px;
`
const Unseen = styled.p`
  position: absolute;
  clip-path: inset(50%);
  width: 1px;
  height: 1px;
`

/** Arranging a board: a draft that saves itself, and is published when it is right. */
export default function Arrange() {
  const { board: name = '' } = useParams()
  const board = useBoard(name)
  const viewer = useSession().data?.role === 'viewer'
  const [begun, setBegun] = useState<Board>()
  if (board.error) return <Failure error={board.error} />
  if (viewer)
    return <Failure error={new Error('You may look at boards. To change one, ask an owner for the role keeper.')} />
  if (!begun && board.data) setBegun(board.data)
  if (!begun) return <Soft>Looking …</Soft>
  return <Arranging key={begun.name} board={begun} />
}

const compares = { '0s': 'nothing', '24h': 'the day before', '168h': 'the week before', '8760h': 'the year before' }

function Arranging({ board: b }: { board: Board }) {
  const navigate = useNavigate()
  const title = boardTitle(b)
  const d = useDraft(b)
  const [look, setLook] = useState<'arrange' | 'wide' | 'phone'>('arrange')
  const [adding, setAdding] = useState(false)
  const [open, setOpen] = useState<Placed>()
  const [publishing, setPublishing] = useState(false)
  const said = useRef<HTMLParagraphElement>(null)
  const sight = useBoardSight({ tiles: [], range: d.draft.range, compare: d.draft.compare }, `arrange ${b.name}`, true)
  const say = (words: string) => {
    if (said.current) said.current.textContent = words
  }
  const drop = useBoardAct(() => dropDraft(b.name))
  const set = (tiles: Placed[]) => d.set({ ...d.draft, tiles })
  const onKey = (e: React.KeyboardEvent) => {
    if (
      !(e.ctrlKey || e.metaKey) ||
      e.key.toLowerCase() !== 'z' ||
      (e.target as HTMLElement).matches('input, textarea')
    )
      return
    e.preventDefault()
    const act = e.shiftKey ? d.redo : d.undo
    act?.()
    say(act ? (e.shiftKey ? 'Done again.' : 'Undone.') : 'Nothing to undo.')
  }
  return (
    // eslint-disable-next-line jsx-a11y/no-static-element-interactions -- only the keys for undo, wherever the focus is
    <div data-wide onKeyDown={onKey}>
      <title>{`Arrange ${title} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href={`/boards/${b.name}`}>{title}</PlainLink>
      </Above>
      <Heading>Arrange {title}</Heading>
      <Unseen ref={said} role="status" data-said />
      <Bar role="toolbar" aria-label="Arranging">
        <Button onPress={() => setAdding(true)}>Add a tile</Button>
        <QuietButton onPress={() => d.undo?.()} isDisabled={!d.undo}>
          Undo
        </QuietButton>
        <QuietButton onPress={() => d.redo?.()} isDisabled={!d.redo}>
          Redo
        </QuietButton>
        <QuietButton onPress={() => void d.save().then(() => setPublishing(true))}>Publish …</QuietButton>
        <QuietButton onPress={() => drop.mutate(undefined, { onSuccess: () => void navigate(`/boards/${b.name}`) })}>
          Drop the draft
        </QuietButton>
        <Soft data-saved={!d.saving}>
          {d.error ? 'not saved' : d.saving ? 'saving …' : d.revision ? 'draft saved' : 'as published'}
        </Soft>
      </Bar>
      {d.error && <Failure error={d.error} />}
      {drop.error && <Failure error={drop.error} />}
      <Fields>
        <Choice
          label="Look"
          options={{ arrange: 'Arrange', wide: 'Preview', phone: 'On a phone' }}
          value={look}
          onChange={setLook}
        />
        <Select
          label="Charts show the last"
          value={asChosen(d.draft.range)}
          onChange={(range) => d.set({ ...d.draft, range })}
          options={withOwn(lengths, asChosen(d.draft.range))}
        />
        <Select
          label="Laid over"
          value={asChosen(d.draft.compare)}
          onChange={(compare) => d.set({ ...d.draft, compare })}
          options={withOwn(compares, asChosen(d.draft.compare))}
        />
      </Fields>
      {d.draft.tiles.length === 0 && (
        <Prose>Nothing is on it yet. Add a tile: pick what it is to show, and it is proposed how.</Prose>
      )}
      <SightProvider value={sight}>
        {look === 'arrange' && <ArrangeGrid tiles={d.draft.tiles} onChange={set} onOpen={setOpen} say={say} />}
        {look === 'wide' && <Grid tiles={d.draft.tiles} />}
        {look === 'phone' && (
          <Phone>
            <Grid tiles={d.draft.tiles} />
          </Phone>
        )}
        <AddTile
          open={adding}
          onClose={() => setAdding(false)}
          onAdd={(tile) => {
            const id = freeID(d.draft.tiles)
            set(withTile(d.draft.tiles, { ...tile, id }))
            setAdding(false)
            say('It is on the board.')
          }}
        />
        {open && (
          <TileFields
            tile={open}
            onClose={() => setOpen(undefined)}
            onChange={(tile) => {
              set(withTile(d.draft.tiles, tile))
              setOpen(undefined)
            }}
          />
        )}
      </SightProvider>
      <Publishing board={b} open={publishing} revision={d.revision} onClose={() => setPublishing(false)} />
    </div>
  )
}

function Publishing({
  board: b,
  open,
  revision,
  onClose,
}: {
  board: Board
  open: boolean
  revision: number
  onClose: () => void
}) {
  const navigate = useNavigate()
  const [note, setNote] = useState('')
  const act = useBoardAct(() => publish(b.name, revision, note))
  return (
    <Dialog title={`Publish ${boardTitle(b)}`} open={open} onClose={onClose}>
      <Form
        onSubmit={(e) => {
          e.preventDefault()
          act.mutate(undefined, { onSuccess: () => void navigate(`/boards/${b.name}`) })
        }}
      >
        <Prose>
          {b.shared ? 'Everybody sees it as it is now.' : 'Only you see it.'} What it was before stays among its
          versions.
        </Prose>
        {revision === 0 && <Prose>Nothing was changed.</Prose>}
        <Written label="What was changed" value={note} onChange={setNote} hint="for its versions and the journal" />
        <Row>
          <Button type="submit" isDisabled={act.isPending || revision === 0}>
            Publish it
          </Button>
          <QuietButton onPress={onClose}>Not yet</QuietButton>
        </Row>
        {act.error && <Failure error={act.error} />}
      </Form>
    </Dialog>
  )
}
