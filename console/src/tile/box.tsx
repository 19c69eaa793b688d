import type { ReactNode } from 'react'
import { Link } from 'react-router'
import styled from 'styled-components'
import type { Placed } from '../api/board'
import { useTitle } from './context'

const Panel = styled.article`
  contain: content; /* what changes in one tile is drawn in it alone */
  display: flex;
  flex-direction: column;
  min-width: 0;
  height: 100%;
  background: var(--surface);
  border: var(--hair);
  border-radius: var(--radius);
  padding: 10px 14px 12px;
  overflow: hidden;
`
const Head = styled.header`
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: var(--gap-3);
  min-height: 24px;
  h2 {
    margin: 0;
    font-size: var(--step--1);
    font-weight: 400;
    color: var(--ink-soft);
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  a {
    color: inherit;
    text-decoration: none;
    &:hover {
      text-decoration: underline;
    }
  }
`
const Inside = styled.div`
  flex: 1;
  min-height: 0;
  position: relative;
`
const Scrolls = styled(Inside)`
  overflow: auto;
  overscroll-behavior: contain;
`

type Props = { tile: Placed; to?: string; tools?: ReactNode; scrolls?: boolean; children: ReactNode }

/** What is around a tile: its title, its tools, and room that does not change when data lands. */
export function TileBox({ tile, to, tools, scrolls, children }: Props) {
  const title = useTitle(tile)
  return (
    <Panel aria-label={title || tile.kind} data-tile={tile.id} data-kind={tile.kind}>
      {(title || tools) && (
        <Head>
          <h2>{to ? <Link to={to}>{title}</Link> : title}</h2>
          {tools}
        </Head>
      )}
      {scrolls ? (
        <Scrolls tabIndex={0} role="group" aria-label={`${title || tile.kind}: all of it`}>
          {children}
        </Scrolls>
      ) : (
        <Inside>{children}</Inside>
      )}
    </Panel>
  )
}
