import { type ReactNode, useState } from 'react'
import { NavLink, useLocation } from 'react-router'
import styled from 'styled-components'
import { useArrival, useFocusKept } from './focus'

const phone = '@media (max-width: 760px)'
const Shell = styled.div`
  display: grid;
  grid-template-columns: 196px minmax(0, 1fr);
  min-height: 100vh;
  ${phone} {
    display: block;
    padding-bottom: calc(60px + env(safe-area-inset-bottom));
  }
  @media print {
    display: block;
  }
`
const Side = styled.header`
  border-right: var(--hair);
  padding: var(--gap-4) 0;
  display: flex;
  flex-direction: column;
  position: sticky;
  top: 0;
  height: 100vh;
  overflow-y: auto;
  ${phone} {
    position: static;
    height: auto;
    border-right: 0;
    border-bottom: var(--hair);
    padding: var(--gap-2) 0;
  }
  @media print {
    display: none;
  }
`
const Top = styled.div`
  ${phone} {
    display: flex;
    align-items: center;
    justify-content: space-between;
    padding-right: var(--gap-4);
  }
`
const Mark = styled.div`
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 0 var(--gap-4) var(--gap-4);
  font-weight: 650;
  font-size: var(--step-1);
  ${phone} {
    padding-bottom: 0;
  }
`
const Seek = styled.button`
  display: flex;
  justify-content: space-between;
  gap: var(--gap-2);
  font: inherit;
  color: var(--ink-soft);
  background: var(--surface);
  border: 1px solid var(--line);
  border-radius: var(--radius);
  min-height: 34px;
  padding: 4px 10px;
  margin: 0 var(--gap-4) var(--gap-4);
  width: calc(100% - 2 * var(--gap-4));
  cursor: pointer;
  ${phone} {
    margin: 0;
    width: auto;
  }
  kbd {
    font: inherit;
    font-size: var(--step--1);
    ${phone} {
      display: none;
    }
  }
`
/** Down the side; on a phone along the foot, within reach of the thumb. */
const Places = styled.nav`
  display: flex;
  flex-direction: column;
  gap: 2px;
  ${phone} {
    position: fixed;
    z-index: 8;
    inset: auto 0 0;
    display: grid;
    grid-template-columns: repeat(5, 1fr);
    gap: 0;
    background: var(--paper);
    border-top: var(--hair);
    padding-bottom: env(safe-area-inset-bottom);
  }
`
const Place = styled(NavLink)<{ $extra: boolean; $open: boolean }>`
  display: flex;
  justify-content: space-between;
  gap: var(--gap-3);
  padding: 7px var(--gap-4);
  min-height: 36px;
  color: var(--ink);
  text-decoration: none;
  white-space: nowrap;
  border-left: 3px solid transparent;
  &.active {
    border-left-color: var(--accent);
    background: var(--sunk);
    font-weight: 620;
  }
  ${phone} {
    display: ${(p) => (p.$extra && !p.$open ? 'none' : 'flex')};
    order: ${(p) => (p.$extra ? -1 : 0)};
    justify-content: center;
    align-items: center;
    gap: 5px;
    padding: 6px 2px;
    min-height: 56px;
    font-size: var(--step--1);
    border-left: 0;
    border-top: 3px solid transparent;
    &.active {
      border-top-color: var(--accent);
    }
  }
`
const More = styled.button`
  display: none;
  ${phone} {
    display: block;
    font: inherit;
    font-size: var(--step--1);
    color: var(--ink);
    background: none;
    border: 0;
    min-height: 56px;
    cursor: pointer;
  }
`
const Foot = styled.div<{ $open: boolean }>`
  margin-top: auto;
  padding: var(--gap-4) var(--gap-4) 0;
  font-size: var(--step--1);
  color: var(--ink-soft);
  button {
    font: inherit;
    color: var(--accent);
    background: none;
    border: 0;
    padding: 4px 0;
    min-height: 24px;
    cursor: pointer;
    text-decoration: underline;
    text-underline-offset: 3px;
  }
  ${phone} {
    display: ${(p) => (p.$open ? 'block' : 'none')};
    padding: var(--gap-2) var(--gap-4);
  }
`
const Main = styled.main`
  padding: var(--gap-5) var(--gap-6);
  max-width: 1180px;
  min-width: 0;
  outline: none;
  /* Boards take all the room there is. */
  &:has(> [data-wide]) {
    max-width: none;
    padding: var(--gap-4) clamp(var(--gap-4), 3vw, var(--gap-6));
  }
  ${phone} {
    padding: var(--gap-4);
  }
  @media print {
    padding: 0;
  }
`
const Broken = styled.div`
  &:empty {
    display: none;
  }
  margin: 0 0 var(--gap-4);
  padding: var(--gap-3);
  border: 1px solid var(--silent);
  background: repeating-linear-gradient(45deg, transparent 0 6px, var(--sunk) 6px 12px);
`
const Skip = styled.a`
  position: absolute;
  left: -999px;
  &:focus {
    left: var(--gap-3);
    top: var(--gap-3);
    background: var(--surface);
    padding: var(--gap-2);
    z-index: 9;
  }
`
/** Words for who listens. */
export const Unseen = styled.p`
  position: absolute;
  clip-path: inset(50%);
  width: 1px;
  height: 1px;
  overflow: hidden;
`
export const Lark = () => (
  <svg width="30" height="26" viewBox="0 0 30 26" aria-hidden="true">
    <path d="M2 19c6 1 9-2 11-6 2-5 6-7 10-7l5 2-5 2c0 8-5 13-13 13-4 0-7-1-8-4Z" fill="var(--ink)" />
    <path d="M21 5c0-2 1-3.5 2.5-4.5" stroke="var(--ink)" strokeWidth="1.8" fill="none" />
    <circle cx="22.4" cy="8" r="1.1" fill="var(--paper)" />
  </svg>
)

/** So many places stand along a phone's foot; the others are behind "More". */
const along = 4

type Props = {
  places: { to: string; name: string; note?: string }[]
  foot: ReactNode
  broken: ReactNode // in words, when what is shown is not live
  onSeek: () => void
  children: ReactNode
}

/** What is around every page: the places, the state of the live stream, the page. */
export function Frame({ places, foot, broken, onSeek, children }: Props) {
  const { pathname } = useLocation()
  const [openAt, setOpenAt] = useState('') // the page on which the rest was asked for
  const open = openAt === pathname
  const announced = useArrival()
  useFocusKept()
  return (
    <Shell>
      <Side>
        <Skip href="#page">Skip to the page</Skip>
        <Top>
          <Mark>
            <Lark />
            Jaunty Lark
          </Mark>
          <Seek type="button" onClick={onSeek} data-seek>
            Find or do <kbd>Ctrl K</kbd>
          </Seek>
        </Top>
        <Places aria-label="Places">
          {places.map((p, i) => (
            <Place key={p.to} to={p.to} end={p.to === '/'} $extra={i >= along} $open={open}>
              <span>{p.name}</span>
              <span>{p.note}</span>
            </Place>
          ))}
          <More type="button" aria-expanded={open} onClick={() => setOpenAt(open ? '' : pathname)}>
            {open ? 'Less' : 'More'}
          </More>
        </Places>
        <Foot $open={open}>{foot}</Foot>
      </Side>
      <Unseen ref={announced} role="status" data-announced />
      <Main id="page" tabIndex={-1} data-at={pathname}>
        <Broken role="status">{broken}</Broken>
        {children}
      </Main>
    </Shell>
  )
}
