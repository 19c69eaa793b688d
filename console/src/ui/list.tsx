import styled from 'styled-components'

/** A list with hairlines. Each item is a row of: shape, words, figure, small line, act. */
export const List = styled.ul`
  list-style: none;
  margin: var(--gap-3) 0 0;
  padding: 0;
  border-top: var(--hair);
`
export const Item = styled.li<{ $dense?: boolean }>`
  display: grid;
  grid-template-columns: 26px minmax(0, 1fr) 128px 180px 104px;
  gap: var(--gap-4);
  align-items: center;
  border-bottom: var(--hair);
  padding: ${(p) => (p.$dense ? '9px' : '14px')} 0;
  min-height: ${(p) => (p.$dense ? '45px' : '76px')};
  > :last-child {
    text-align: right;
  }
  @media (max-width: 900px) {
    grid-template-columns: 26px minmax(0, 1fr) auto;
    row-gap: var(--gap-2);
    > :nth-child(4) {
      display: none;
    }
    > :nth-child(5) {
      grid-column: 2 / -1;
      text-align: left;
    }
  }
`
/** A list in the text of a page, with room to press each line. */
export const Lines = styled.ul`
  li {
    padding: 4px 0;
  }
`
export const Words = styled.div`
  b {
    font-weight: 620;
    font-size: var(--step-1);
  }
`
export const Figure = styled.div<{ $tone?: string; $dense?: boolean }>`
  text-align: right;
  white-space: nowrap;
  font-weight: 600;
  font-size: ${(p) => (p.$dense ? 'var(--step-1)' : 'var(--step-2)')};
  color: ${(p) => p.$tone ?? 'inherit'};
  small {
    font-size: var(--step--1);
    font-weight: 400;
    color: var(--ink-soft);
  }
`
