import styled from 'styled-components'

/** The shape of a severity: told by shape and word, not by colour alone. */
export function Shape({ of }: { of: 'advisory' | 'warning' | 'critical' }) {
  const label = { role: 'img', 'aria-label': of, width: 20, height: 18 }
  switch (of) {
    case 'critical':
      return (
        <svg {...label}>
          <rect x="2" y="1" width="16" height="16" fill="var(--critical)" />
          <path d="M10 4v6M10 12.2v1.8" stroke="var(--surface)" strokeWidth="2" />
        </svg>
      )
    case 'warning':
      return (
        <svg {...label}>
          <path d="M10 1 19 17H1Z" fill="var(--warning-fill)" stroke="var(--warning)" strokeWidth="1.2" />
        </svg>
      )
    case 'advisory':
      return (
        <svg {...label}>
          <path d="M10 1 18 9 10 17 2 9Z" fill="none" stroke="var(--advisory)" strokeWidth="2" />
        </svg>
      )
  }
}

export const toneOf = (severity: string) => `var(--${severity})`

const Hatched = styled.span`
  display: inline-block;
  padding: 0 6px;
  margin-left: 6px;
  border: 1px solid var(--silent);
  color: var(--ink);
  font-size: var(--step--1);
  background: repeating-linear-gradient(45deg, transparent 0 4px, var(--sunk) 4px 8px);
`
/** Hatched grey and a word: nothing comes. */
export const Silent = ({ word = 'silent' }: { word?: string }) => <Hatched>{word}</Hatched>
