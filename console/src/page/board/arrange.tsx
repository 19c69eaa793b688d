import { useRef, useState } from 'react'
import { useNavigate, useParams } from 'react-router'
import styled from 'styled-components'
import { boardTitle, dropDraft, type Placed, publish, useBoard } from '../../api/board'
import type { Board } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { useAct } from '../../api/queries'
import { useSession, useSite } from '../../api/site'
import { clock } from '../../api/words'
import { AddTile } from './arrange-add'
import { useBoardDraft } from './arrange-draft'
import { TileFields } from './arrange-fields'
import { ArrangeGrid } from './arrange-grid'
import { asChosen, lengths, withOwn } from './arrange-lengths'
import { useBoardSight } from './sight'
import { freeID, withTile } from '../../tile/arrange'
import { SightProvider } from '../../tile/context'
import { Grid } from '../../tile/grid'
import { Above, Button, Failure, Heading, PlainLink, Prose, QuietButton, Row, Soft, Well } from '../../ui/basics'
import { Choice } from '../../ui/choice'
import { Dialog } from '../../ui/dialog'
import { Fields, Form, Select, Send, useSave, Written } from '../../ui/form'
import { Unseen } from '../../ui/frame'
import { NoPage } from '../../ui/no-page'
import { undoKeys } from '../../ui/undo'

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

/** Arranging a board: a draft that saves itself, and is published when it is right. */
export default function Arrange() {
  const { board: name = '' } = useParams()
  const board = useBoard(name)
  const viewer = useSession().data?.role === 'viewer'
  const [begun, setBegun] = useState<Board>()
  if (board.error) return <NoPage error={board.error} />
  if (viewer)
    return <NoPage error={new Error('You may look at boards. To change one, ask an owner for the role keeper.')} />
  if (!begun && board.data) setBegun(board.data)
  if (!begun) return <Soft>Looking …</Soft>
  return <Arranging key={begun.name} board={begun} />
}

const seconds: Intl.DateTimeFormatOptions = { hour: '2-digit', minute: '2-digit', second: '2-digit' }
const compares = { '0s': 'nothing', '24h': 'the day before', '168h': 'the week before', '8760h': 'the year before' }

function Arranging({ board: b }: { board: Board }) {
  const navigate = useNavigate()
  const title = boardTitle(b)
  const d = useBoardDraft(b, useBoard(b.name, 3000).data ?? b)
  const zone = useSite().data?.zone ?? 'UTC'
  const [look, setLook] = useState<'arrange' | 'wide' | 'phone'>('arrange')
  const [adding, setAdding] = useState(false)
  const [open, setOpen] = useState<Placed>()
  const [publishing, setPublishing] = useState(false)
  const [dropping, setDropping] = useState(false)
  const said = useRef<HTMLParagraphElement>(null)
  const sight = useBoardSight({ tiles: [], range: d.draft.range, compare: d.draft.compare }, `arrange ${b.name}`, true)
  const say = (words: string) => {
    if (said.current) said.current.textContent = words
  }
  const drop = useAct(() => dropDraft(b.name))
  const set = (tiles: Placed[]) => d.set({ ...d.draft, tiles })
  return (
    // eslint-disable-next-line jsx-a11y/no-static-element-interactions -- only the keys for undo, wherever the focus is
    <div data-wide onKeyDown={(e) => undoKeys(e, d, say)}>
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
        {d.revision > 0 && <QuietButton onPress={() => setDropping(true)}>Drop the draft …</QuietButton>}
        <Soft data-saved={!d.saving}>
          {d.error || d.theirs ? 'not saved' : d.saving ? 'saving …' : d.revision ? 'draft saved' : 'as published'}
        </Soft>
      </Bar>
      {d.error && <Failure error={d.error} />}
      {d.theirs && (
        <Well role="alert" data-theirs>
          <Prose $flush>
            {d.theirs.published
              ? 'Somebody has published or dropped the draft of this board meanwhile. What stands on it is theirs; what you changed here is not saved.'
              : `${d.theirs.who} changed this draft at ${clock(d.theirs.at!, zone, seconds)}. What is saved is theirs; what you changed here since is not saved.`}
          </Prose>
          <Row>
            <Button onPress={d.takeTheirs}>Take theirs</Button>
            <QuietButton onPress={d.keepMine}>Keep mine</QuietButton>
          </Row>
        </Well>
      )}
      <Dialog title="Drop the draft?" open={dropping} onClose={() => setDropping(false)}>
        <Prose>
          All that was changed on {title} since it was published goes, also what others changed. The board stays as
          everybody sees it.
        </Prose>
        <Row>
          <Button
            isDisabled={drop.isPending}
            onPress={() => drop.mutate(undefined, { onSuccess: () => void navigate(`/boards/${b.name}`) })}
          >
            Drop the draft
          </Button>
          <QuietButton onPress={() => setDropping(false)}>Cancel</QuietButton>
        </Row>
        {drop.error && <Failure error={drop.error} />}
      </Dialog>
      <Fields>
        <Choice
          label="View"
          options={{ arrange: 'Arrange', wide: 'Preview', phone: 'On a phone' }}
          value={look}
          onChange={setLook}
        />
        <Select
          label="Time span"
          value={asChosen(d.draft.range)}
          onChange={(range) => d.set({ ...d.draft, range })}
          options={withOwn(lengths, asChosen(d.draft.range))}
        />
        <Select
          label="Compare with"
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
  const [note, setNote, unsaved] = useDraft(`publishing of ${b.name}`, '')
  const act = useSave(
    () => publish(b.name, revision, note),
    undefined,
    () => {
      unsaved.reset('')
      void navigate(`/boards/${b.name}`)
    },
  )
  return (
    <Dialog title={`Publish ${boardTitle(b)}`} open={open} onClose={onClose}>
      <Form unsaved={unsaved} save={act}>
        <Prose>
          {b.shared ? 'Everybody sees it as it is now.' : 'Only you see it.'} What it was before stays among its
          versions.
        </Prose>
        {revision === 0 && <Prose>Nothing was changed.</Prose>}
        <Written label="Note" value={note} onChange={setNote} hint="for its versions and the journal" />
        <Send send="Publish" off={revision === 0} onCancel={onClose} />
      </Form>
    </Dialog>
  )
}
