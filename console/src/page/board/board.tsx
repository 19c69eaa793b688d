import { useEffect, useMemo, useState } from 'react'
import { useNavigate, useParams } from 'react-router'
import styled from 'styled-components'
import { boardTitle, changeBoard, copyBoard, nameFrom, placed, removeBoard, startWith, useBoard } from '../../api/board'
import type { Board } from '../../api/client'
import { useAct } from '../../api/queries'
import { tellRemoved } from '../../api/removed'
import { useSession } from '../../api/site'
import { SightTools, useBoardSight } from './sight'
import { Versions } from './versions'
import { SightProvider } from '../../tile/context'
import { Grid } from '../../tile/grid'
import { Above, Button, Failure, Heading, PlainLink, Prose, QuietButton, QuietLink, Row, Soft } from '../../ui/basics'
import { Dialog } from '../../ui/dialog'
import { Form, Send, useSave, Written } from '../../ui/form'
import { Menu } from '../../ui/menu'
import { NoPage } from '../../ui/no-page'

const Top = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: var(--gap-3);
  justify-content: space-between;
  align-items: end;
  @media print {
    a,
    button {
      display: none;
    }
  }
`

/** A board to look at. */
export default function BoardPage() {
  const { board: name = '' } = useParams()
  const board = useBoard(name)
  if (board.error) return <NoPage error={board.error} />
  if (!board.data) return <Soft>Looking …</Soft>
  return <Shown key={`${name} ${board.data.version}`} board={board.data} />
}

/** On paper charts are drawn in the light theme. */
export function usePaper() {
  useEffect(() => {
    const set = (on: boolean) => () => {
      if (on) document.documentElement.dataset.print = ''
      else delete document.documentElement.dataset.print
      dispatchEvent(new Event(on ? 'lark-paper' : 'lark-screen'))
    }
    const [before, after] = [set(true), set(false)]
    addEventListener('beforeprint', before)
    addEventListener('afterprint', after)
    return () => {
      removeEventListener('beforeprint', before)
      removeEventListener('afterprint', after)
    }
  }, [])
}

type Asked = 'copy' | 'title' | 'versions' | 'remove' | ''

function Shown({ board: b }: { board: Board }) {
  usePaper()
  const navigate = useNavigate()
  const session = useSession().data
  const keeper = session?.role !== 'viewer'
  const sight = useBoardSight(b.tiling, `board ${b.name}`)
  const [asked, setAsked] = useState<Asked>('')
  const start = useAct(startWith)
  const share = useAct((shared: boolean) => changeBoard(b.name, { shared }))
  const title = boardTitle(b)
  const starts = session?.start === b.name
  const tiles = useMemo(() => placed(b.tiling), [b.tiling])
  const failed = start.error ?? share.error
  return (
    <div data-wide>
      <title>{`${title} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/boards">Boards</PlainLink>
        {!b.shared && ' · only you see it'}
        {b.draft && ' · a changed one waits to be published'}
      </Above>
      <Top>
        <Heading>{title}</Heading>
        <Row>
          {keeper && <QuietLink href={`/boards/${b.name}/arrange`}>Arrange</QuietLink>}
          <QuietLink href={`/wall?set=1&boards=${b.name}`}>On a wall</QuietLink>
          <Menu
            label="More"
            items={[
              { name: 'Print', act: () => print() },
              {
                name: starts ? 'Start with what is wrong instead' : 'Start with this board',
                act: () => start.mutate(starts ? '' : b.name),
              },
              ...(keeper
                ? [
                    { name: 'Copy …', act: () => setAsked('copy') },
                    { name: 'Rename …', act: () => setAsked('title') },
                    {
                      name: b.shared ? 'Show it to nobody else' : 'Share with everybody',
                      act: () => share.mutate(!b.shared),
                    },
                    { name: 'Versions …', act: () => setAsked('versions') },
                    { name: 'Remove …', act: () => setAsked('remove') },
                  ]
                : []),
            ]}
          />
        </Row>
      </Top>
      {failed && <Failure error={failed} />}
      <SightTools sight={sight} />
      {tiles.length === 0 && (
        <Prose>
          Nothing is on it yet. {keeper && <QuietLink href={`/boards/${b.name}/arrange`}>Add a tile</QuietLink>}
        </Prose>
      )}
      <SightProvider value={sight}>
        <Grid tiles={tiles} />
      </SightProvider>
      <Naming board={b} asked={asked} done={() => setAsked('')} />
      <Dialog title={`Versions of ${title}`} open={asked === 'versions'} onClose={() => setAsked('')} wide>
        <Versions board={b} done={() => void navigate(`/boards/${b.name}/arrange`)} />
      </Dialog>
      <Removing board={b} open={asked === 'remove'} done={() => setAsked('')} />
    </div>
  )
}

/** Copying a board, or calling it something else. */
function Naming({ board: b, asked, done }: { board: Board; asked: Asked; done: () => void }) {
  const navigate = useNavigate()
  const copies = asked === 'copy'
  const [title, setTitle] = useState('')
  const act = useSave(
    () => (copies ? copyBoard(b.name, nameFrom(title), title) : changeBoard(b.name, { title })),
    undefined,
    (made) => {
      done()
      if (copies) void navigate(`/boards/${made.name}`)
    },
  )
  return (
    <Dialog title={copies ? 'Copy the board' : 'Rename the board'} open={copies || asked === 'title'} onClose={done}>
      <Form save={act}>
        <Written label={copies ? 'Title of the copy' : 'Title'} value={title} onChange={setTitle} />
        <Send send={copies ? 'Copy' : 'Save'} off={!nameFrom(title)} onCancel={done} />
      </Form>
    </Dialog>
  )
}

function Removing({ board: b, open, done }: { board: Board; open: boolean; done: () => void }) {
  const navigate = useNavigate()
  const remove = useAct(() => removeBoard(b.name))
  const title = `Remove the board ${boardTitle(b)}`
  return (
    <Dialog title={`${title}?`} open={open} onClose={done}>
      <Prose>Nobody sees it any more. It can be brought back for 30 days.</Prose>
      <Row>
        <Button
          isDisabled={remove.isPending}
          onPress={() =>
            void remove.mutateAsync(undefined).then(
              () => {
                tellRemoved({ kind: 'board', name: b.name })
                void navigate('/boards')
              },
              () => undefined,
            )
          }
        >
          {title}
        </Button>
        <QuietButton onPress={done}>Cancel</QuietButton>
      </Row>
      {remove.error && <Failure error={remove.error} />}
    </Dialog>
  )
}
