import { type ReactNode } from 'react'
import { NavLink } from 'react-router'
import styled from 'styled-components'

const Shell = styled.div`
  display: grid;
  grid-template-columns: 196px minmax(0, 1fr);
  min-height: 100vh;
  @media (max-width: 760px) {
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
  nav {
    display: flex;
    flex-direction: column;
    gap: 2px;
  }
  @media (max-width: 760px) {
    position: static;
    height: auto;
    border-right: 0;
    border-bottom: var(--hair);
    padding: var(--gap-3) 0 0;
    nav {
      flex-direction: row;
      overflow-x: auto;
    }
  }
`
const Mark = styled.div`
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 0 var(--gap-4) var(--gap-5);
  font-weight: 650;
  font-size: var(--step-1);
  @media (max-width: 760px) {
    padding-bottom: var(--gap-2);
  }
`
const Place = styled(NavLink)`
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
`
const Foot = styled.div`
  margin-top: auto;
  padding: 0 var(--gap-4);
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
  @media (max-width: 760px) {
    padding: var(--gap-2) var(--gap-4);
  }
`
const Main = styled.main`
  padding: var(--gap-5) var(--gap-6);
  max-width: 1180px;
  min-width: 0;
  /* Boards take all the room there is. */
  &:has(> [data-wide]) {
    max-width: none;
  }
  @media (max-width: 760px) {
    padding: var(--gap-4);
  }
`
const Broken = styled.p`
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
    z-index: 1;
  }
`
export const Lark = () => (
  <svg width="30" height="26" viewBox="0 0 30 26" aria-hidden="true">
    <path d="M2 19c6 1 9-2 11-6 2-5 6-7 10-7l5 2-5 2c0 8-5 13-13 13-4 0-7-1-8-4Z" fill="var(--ink)" />
    <path d="M21 5c0-2 1-3.5 2.5-4.5" stroke="var(--ink)" strokeWidth="1.8" fill="none" />
    <circle cx="22.4" cy="8" r="1.1" fill="var(--paper)" />
  </svg>
)

type Props = {
  places: { to: string; name: string; note?: string }[]
  foot: ReactNode
  broken?: string // in words, when what is shown is not live
  children: ReactNode
}

/** What is around every page: the places, the state of the live stream, the page. */
export const Frame = ({ places, foot, broken, children }: Props) => (
  <Shell>
    <Side>
      <Skip href="#page">Skip to the page</Skip>
      <Mark>
        <Lark />
        Jaunty Lark
      </Mark>
      <nav aria-label="Places">
        {places.map((p) => (
          <Place key={p.to} to={p.to} end={p.to === '/'}>
            <span>{p.name}</span>
            <span>{p.note}</span>
          </Place>
        ))}
      </nav>
      <Foot>{foot}</Foot>
    </Side>
    <Main id="page" tabIndex={-1}>
      <div role="status">{broken && <Broken>{broken}</Broken>}</div>
      {children}
    </Main>
  </Shell>
)
