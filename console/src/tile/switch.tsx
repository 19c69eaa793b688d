import { useState } from 'react'
import styled from 'styled-components'
import { api, type Output, take } from '../api/client'
import { useNow } from '../api/live'
import { at, becauseWords, confirmation, restOf, titleOf, useOutputs } from '../api/output'
import { useAct } from '../api/queries'
import { useSession } from '../api/site'
import { HandSwitch, State } from '../page/output/row'
import { TileBox } from './box'
import { type TileProps, useSight } from './context'
import { Failure, PlainLink, Prose, QuietButton, Soft } from '../ui/basics'
import { Dialog } from '../ui/dialog'
import { Shape } from '../ui/severity'

const Stand = styled.b<{ $rests: boolean }>`
  ${(p) => p.$rests && 'color: var(--ink-soft);'}
`

const Line = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 2px var(--gap-3);
  align-items: center;
  padding: 6px 0;
  border-bottom: var(--hair);
  &:last-child {
    border-bottom: 0;
  }
  small {
    grid-column: 1 / -1;
    font-size: var(--step--1);
    color: var(--ink-soft);
    line-height: 1.3;
  }
  b {
    font-weight: 620;
  }
`

/** Outputs: how each stands and why, and the hand switch. */
export function SwitchTile({ tile }: TileProps) {
  const list = useOutputs().data
  const named = { ...tile, title: tile.title || (tile.outputs?.length === 1 ? '' : 'Outputs') }
  return (
    <TileBox tile={named} to="/outputs" scrolls>
      {list?.emergency && (
        <Prose $flush>
          <Shape of="critical" /> All outputs are in their safe states.
        </Prose>
      )}
      {(tile.outputs ?? []).map((path) => {
        const o = list?.outputs.find((v) => `${v.device}/${v.name}` === path)
        return o ? (
          <OneOutput key={path} output={o} emergency={!!list?.emergency} />
        ) : (
          list && <p key={path}>There is no output {path}.</p>
        )
      })}
    </TileBox>
  )
}

function OneOutput({ output: o, emergency }: { output: Output; emergency: boolean }) {
  const { zone, still } = useSight()
  const keeper = useSession().data?.role !== 'viewer'
  const now = useNow()
  const said = confirmation(o, now)
  const [open, setOpen] = useState(false)
  const release = useAct(() => take(api.DELETE('/api/v1/outputs/{device}/{output}/hand', at(o))))
  const hand = o.hand as Output['hand'] | null
  const may = keeper && !still && !o.hands_off && !emergency && o.by !== 'safety'
  return (
    <Line data-output={`${o.device}/${o.name}`}>
      <span>
        <PlainLink href={`/outputs/${o.device}/${o.name}`}>{titleOf(o)}</PlainLink>{' '}
        <Stand $rests={o.ordered === restOf(o)}>
          <State output={o} value={o.ordered} />
        </Stand>{' '}
        {said.wrong && <Shape of="warning" />} <Soft>{said.words}</Soft>
      </span>
      <span>
        {may && <QuietButton onPress={() => setOpen(true)}>Set</QuietButton>}{' '}
        {keeper && !still && hand && <QuietButton onPress={() => release.mutate(undefined)}>Release</QuietButton>}
      </span>
      <small>{becauseWords(o, zone)}</small>
      {release.error && <Failure error={release.error} />}
      <Dialog title={`Set ${titleOf(o)} by hand`} open={open} onClose={() => setOpen(false)}>
        <HandSwitch output={o} done={() => setOpen(false)} />
      </Dialog>
    </Line>
  )
}
