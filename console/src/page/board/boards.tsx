import { useNavigate } from 'react-router'
import styled from 'styled-components'
import { useStanding } from '../../api/alarm'
import { addBoard, boardTitle, nameFrom, useBoards } from '../../api/board'
import type { Board } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { useSession } from '../../api/site'
import { byUrgency } from '../../api/words'
import { Heading, PlainLink, Prose, QuietLink, Row, Soft } from '../../ui/basics'
import { Form, Send, useSave, Written } from '../../ui/form'
import { NoPage } from '../../ui/no-page'
import { Opens } from '../../ui/opens'
import { Shape } from '../../ui/severity'

const Cards = styled.ul`
  list-style: none;
  padding: 0;
  margin: var(--gap-4) 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(230px, 1fr));
  gap: var(--gap-4);
  li {
    background: var(--surface);
    border: var(--hair);
    border-radius: var(--radius);
    padding: var(--gap-3);
  }
  svg[data-plan] {
    display: block;
    width: 100%;
    height: 110px;
    margin-bottom: var(--gap-2);
  }
  b {
    font-weight: 620;
    font-size: var(--step-1);
  }
`

/** All boards, each with its plan in small. */
export default function Boards() {
  const boards = useBoards()
  const session = useSession().data
  const keeper = session?.role !== 'viewer'
  const standing = useStanding().data ?? []
  if (boards.error) return <NoPage error={boards.error} />
  if (!boards.data) return <Soft>Looking …</Soft>
  const all = [...boards.data].sort((a, b) => boardTitle(a).localeCompare(boardTitle(b)))
  return (
    <>
      <title>Boards · Jaunty Lark</title>
      <Heading>Boards</Heading>
      {all.length === 0 && (
        <Prose>
          A board holds what you want to see together: values, lines over time, a picture with values on it. There is
          none yet.
        </Prose>
      )}
      <Cards>
        {all.map((b) => {
          const on = b.tiling.tiles.flatMap((t) => [...(t.series ?? []), ...(t.pins ?? [])].map((v) => v.signal))
          const worst = standing.filter((a) => on.includes(a.signal)).sort(byUrgency)[0]
          return (
            <li key={b.name} data-board={b.name}>
              <Plan board={b} />
              <PlainLink href={`/boards/${b.name}`}>
                <b>{boardTitle(b)}</b>
              </PlainLink>{' '}
              {worst && <Shape of={worst.severity} />}
              <br />
              <Soft>
                {b.tiling.tiles.length} {b.tiling.tiles.length === 1 ? 'tile' : 'tiles'}
                {b.shared ? '' : ' · only you see it'}
                {session?.start === b.name && ' · you start with it'}
                {b.draft && ' · changed, not published'}
              </Soft>
            </li>
          )
        })}
      </Cards>
      <Row>
        {keeper && <Opens name="Add a board …">{(close) => <Making done={close} />}</Opens>}
        {all.length > 1 && (
          <QuietLink href={`/wall?set=1&boards=${all.map((b) => b.name).join(',')}`}>All on a wall</QuietLink>
        )}
      </Row>
    </>
  )
}

/** Where a board's tiles lie, in small. */
function Plan({ board }: { board: Board }) {
  const rows = Math.max(8, ...board.tiling.tiles.map((t) => (t.y ?? 0) + (t.h ?? 1)))
  return (
    <svg data-plan viewBox={`0 0 12 ${rows}`} preserveAspectRatio="xMidYMin meet" aria-hidden="true">
      {board.tiling.tiles.map((t, i) => (
        <rect
          key={i}
          x={(t.x ?? 0) + 0.12}
          y={(t.y ?? 0) + 0.12}
          width={(t.w ?? 1) - 0.24}
          height={(t.h ?? 1) - 0.24}
          fill="var(--sunk)"
          stroke="var(--line)"
          strokeWidth="0.08"
        />
      ))}
    </svg>
  )
}

function Making({ done }: { done: () => void }) {
  const navigate = useNavigate()
  const [title, setTitle, unsaved] = useDraft('new board', '')
  const make = useSave(
    () => addBoard(nameFrom(title), title),
    undefined,
    (b) => {
      unsaved.reset('')
      void navigate(`/boards/${b.name}/arrange`)
    },
  )
  return (
    <Form unsaved={unsaved} save={make}>
      <Written label="Title" value={title} onChange={setTitle} hint="only you see it until you share it." />
      <Send send="Add" off={!nameFrom(title)} onCancel={done} />
    </Form>
  )
}
