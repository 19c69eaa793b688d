import { PickMany } from '../../ui/picks'
import { useEffect, useMemo, useState } from 'react'
import { useSearchParams } from 'react-router'
import styled from 'styled-components'
import { useStanding } from '../../api/alarm'
import { boardTitle, placed, useBoard, useBoards } from '../../api/board'
import { useLive, useNow } from '../../api/live'
import { useSite } from '../../api/site'
import { byUrgency, clock, count, length, sentence } from '../../api/words'
import { useBoardSight } from './sight'
import { SightProvider } from '../../tile/context'
import { Grid } from '../../tile/grid'
import { Button, Failure, Heading, Prose, QuietButton, QuietLink, Row } from '../../ui/basics'
import { Form, Written } from '../../ui/form'
import { NumberField } from '../../ui/number'
import { Shape } from '../../ui/severity'

const Whole = styled.main<{ $dim: boolean }>`
  min-height: 100vh;
  padding: var(--gap-4);
  background: var(--paper);
  filter: ${(p) => (p.$dim ? 'brightness(0.45)' : 'none')};
  transition: filter 4s;
`
const Top = styled.header`
  display: flex;
  flex-wrap: wrap;
  gap: var(--gap-2) var(--gap-4);
  justify-content: space-between;
  align-items: baseline;
  margin-bottom: var(--gap-3);
  > :last-child {
    font-size: var(--step-1);
  }
`
/** As plain as can be: from across the room nobody takes an old picture for now. */
const Dead = styled.div`
  position: fixed;
  inset: 0;
  z-index: 5;
  display: grid;
  place-content: center;
  text-align: center;
  background: repeating-linear-gradient(
    45deg,
    color-mix(in srgb, var(--paper) 82%, transparent) 0 18px,
    color-mix(in srgb, var(--sunk) 90%, transparent) 18px 36px
  );
  b {
    font-size: clamp(2rem, 7vw, 6rem);
    line-height: 1;
    font-weight: 640;
  }
  span {
    font-size: clamp(1rem, 2.4vw, 2rem);
  }
`

/** Boards on a wall: the whole screen, one after the other, dimmed at night. What it does stands in its address. */
export default function Wall() {
  const [query] = useSearchParams()
  const boards = (query.get('boards') ?? '').split(',').filter(Boolean)
  const every = Math.max(5, Number(query.get('every')) || 30)
  const dim = /^(\d{1,2})-(\d{1,2})$/.exec(query.get('dim') ?? '')
  const zone = useSite().data?.zone ?? 'UTC'
  const now = useNow()
  const live = useLive()
  const [turn, setTurn] = useState(0)
  const several = boards.length
  useEffect(() => {
    if (several < 2) return
    const timer = setInterval(() => setTurn((t) => (t + 1) % several), every * 1000)
    return () => clearInterval(timer)
  }, [several, every])
  if (!boards.length || query.get('set')) return <SetUp boards={boards} />
  const seconds: Intl.DateTimeFormatOptions = { hour: '2-digit', minute: '2-digit', second: '2-digit' }
  return (
    <Whole
      $dim={!!dim && isNight(Number(clock(now, zone, { hour: '2-digit' })), Number(dim[1]), Number(dim[2]))}
      data-wall
    >
      <OnWall key={boards[turn]} name={boards[turn] ?? boards[0]!} time={clock(now, zone, seconds)} />
      {live.lost && (
        <Dead role="alert">
          <b>Not live</b>
          <span>
            {live.heard
              ? `What you see is ${length(now - live.heard)} old, of ${clock(live.heard, zone, seconds)}.`
              : 'The service does not answer.'}{' '}
            Trying again.
          </span>
        </Dead>
      )}
    </Whole>
  )
}

const isNight = (hour: number, from: number, until: number) =>
  from <= until ? hour >= from && hour < until : hour >= from || hour < until

function OnWall({ name, time }: { name: string; time: string }) {
  const board = useBoard(name)
  const standing = [...(useStanding().data ?? [])].sort(byUrgency)
  const worst = standing[0]
  return (
    <>
      <Top>
        <Heading>{board.data ? boardTitle(board.data) : name}</Heading>
        <span>
          {worst ? (
            <>
              <Shape of={worst.severity} />{' '}
              {standing.length === 1
                ? sentence(worst)
                : `${count(standing.length)} things are wrong. ${sentence(worst)}`}
            </>
          ) : (
            'All quiet.'
          )}
        </span>
        <span>
          {time} <QuietLink href={board.data ? `/boards/${name}` : '/boards'}>Leave</QuietLink>
        </span>
      </Top>
      {board.error && <Failure error={board.error} />}
      {board.data && <Sheet board={board.data} />}
    </>
  )
}

function Sheet({ board }: { board: { name: string; tiling: Parameters<typeof placed>[0] } }) {
  const sight = useBoardSight(board.tiling, `wall ${board.name}`, true)
  const tiles = useMemo(() => placed(board.tiling), [board.tiling])
  return (
    <SightProvider value={sight}>
      <Grid tiles={tiles} />
    </SightProvider>
  )
}

/** What a wall shows. */
function SetUp({ boards }: { boards: string[] }) {
  const [query, setQuery] = useSearchParams()
  const all = useBoards().data ?? []
  const [chosen, setChosen] = useState(boards)
  const [every, setEvery] = useState<number | undefined>(Number(query.get('every') ?? '30'))
  const [dim, setDim] = useState(query.get('dim') ?? '')
  const next = new URLSearchParams({ boards: chosen.join(','), every: String(every ?? 30), ...(dim ? { dim } : {}) })
  return (
    <Whole $dim={false}>
      <title>A wall · Jaunty Lark</title>
      <Heading>Wall</Heading>
      <Prose>
        The address of the wall holds all of this: open it on the screen on the wall, signed in as a viewer.
      </Prose>
      <Form
        onSubmit={(e) => {
          e.preventDefault()
          setQuery(next)
          void document.documentElement.requestFullscreen?.().catch(() => undefined)
        }}
      >
        <b aria-hidden="true">Boards, in this order</b>
        <PickMany
          label="Boards, in this order"
          items={all.map((b) => ({
            value: b.name,
            text: boardTitle(b),
            says: chosen.includes(b.name) ? `${chosen.indexOf(b.name) + 1}` : '',
          }))}
          picked={chosen}
          onChange={setChosen}
        />
        <NumberField label="Show each for" unit="s" whole least={5} value={every} onChange={setEvery} />
        <Written label="Dim hours" value={dim} onChange={setDim} hint="like 22-6; leave it empty to stay bright" />
        <Row>
          <Button type="submit" isDisabled={!chosen.length}>
            Show
          </Button>
          <QuietButton onPress={() => history.back()}>Cancel</QuietButton>
        </Row>
      </Form>
    </Whole>
  )
}
