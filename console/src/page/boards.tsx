import { useState } from 'react'
import { useNavigate } from 'react-router'
import styled from 'styled-components'
import { addBoard, boardTitle, bringBack, nameFrom, useBoardAct, useBoards, useRemovedBoards } from '../api/boards'
import type { Board } from '../api/client'
import { useSession, useSite, useStanding } from '../api/queries'
import { byUrgency, clock } from '../api/words'
import { Button, Failure, Heading, PlainLink, Prose, QuietButton, QuietLink, Row, Soft, Subheading } from '../ui/basics'
import { Form, Written } from '../ui/form'
import { Shape } from '../ui/severity'

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
  const [asked, setAsked] = useState(false)
  if (boards.error) return <Failure error={boards.error} />
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
        {keeper && !asked && <QuietButton onPress={() => setAsked(true)}>Make a board …</QuietButton>}
        {all.length > 1 && (
          <QuietLink href={`/wall?set=1&boards=${all.map((b) => b.name).join(',')}`}>All on a wall</QuietLink>
        )}
      </Row>
      {asked && <Making done={() => setAsked(false)} />}
      {keeper && <Removed />}
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
  const [title, setTitle] = useState('')
  const make = useBoardAct(() => addBoard(nameFrom(title), title))
  return (
    <Form
      style={{ marginTop: 'var(--gap-4)' }}
      onSubmit={(e) => {
        e.preventDefault()
        make.mutate(undefined, { onSuccess: (b) => void navigate(`/boards/${b.name}/arrange`) })
      }}
    >
      <Written
        label="What is it called?"
        value={title}
        onChange={setTitle}
        hint="Only you see it until you share it."
      />
      <Row>
        <Button type="submit" isDisabled={!nameFrom(title) || make.isPending}>
          Make it
        </Button>
        <QuietButton onPress={done}>Leave it</QuietButton>
      </Row>
      {make.error && <Failure error={make.error} />}
    </Form>
  )
}

/** Boards that were removed in the last 30 days. */
function Removed() {
  const removed = useRemovedBoards(true).data ?? []
  const zone = useSite().data?.zone ?? 'UTC'
  const back = useBoardAct(bringBack)
  if (!removed.length) return null
  return (
    <>
      <Subheading>Removed</Subheading>
      <ul>
        {removed.map((b) => (
          <li key={`${b.name} ${b.removed_at}`} style={{ padding: '4px 0' }}>
            {boardTitle(b)}{' '}
            <Soft>· {b.removed_at && clock(b.removed_at, zone, { day: 'numeric', month: 'short' })}</Soft>{' '}
            <QuietButton onPress={() => back.mutate(b.name)} aria-label={`Bring ${boardTitle(b)} back`}>
              Bring it back
            </QuietButton>
          </li>
        ))}
      </ul>
      {back.error && <Failure error={back.error} />}
    </>
  )
}
