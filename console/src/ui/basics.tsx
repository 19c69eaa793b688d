import { useState } from 'react'
import { Button as AriaButton, Link as AriaLink } from 'react-aria-components'
import styled, { css } from 'styled-components'

const pressable = css`
  font: 600 var(--step-0) var(--face);
  min-height: 36px;
  padding: 7px 14px;
  border-radius: var(--radius);
  cursor: pointer;
  text-align: center;
  text-decoration: none;
  white-space: nowrap;
  &[data-pressed] {
    transform: translateY(1px);
  }
  &[data-disabled] {
    opacity: 0.55;
    cursor: default;
  }
`
export const Button = styled(AriaButton)`
  ${pressable}
  border: 1px solid var(--accent);
  background: var(--accent);
  color: var(--accent-ink);
`
export const QuietButton = styled(AriaButton)`
  ${pressable}
  border: 1px solid var(--line);
  background: transparent;
  color: var(--accent);
`
export const QuietLink = styled(AriaLink)`
  ${pressable}
  display: inline-block;
  border: 1px solid var(--line);
  color: var(--accent);
`
export const PlainLink = styled(AriaLink)`
  color: inherit;
  text-decoration: none;
  &[data-hovered] {
    text-decoration: underline;
  }
`
/** The space above something, by the number of its gap. */
export type Above = { $above?: 2 | 3 | 4 | 5 }
const above = css<Above>`
  ${(p) => p.$above && `margin-top: var(--gap-${p.$above});`}
`
type Flush = { $flush?: boolean } // without space around it
export const Soft = styled.span`
  color: var(--ink-soft);
  font-weight: 400;
`
export const Heading = styled.h1`
  font-size: var(--step-3);
  font-weight: 560;
  letter-spacing: -0.015em;
  line-height: 1.15;
  margin: 0;
  text-wrap: balance;
  /* Who comes to a page is brought here; there is nothing to press. */
  &:focus {
    outline: none;
  }
`
export const Subheading = styled.h2<Flush>`
  font-size: var(--step-1);
  font-weight: 600;
  margin: ${(p) => (p.$flush ? '0' : 'var(--gap-5)')} 0 var(--gap-3);
`
export const Above = styled.p`
  color: var(--ink-soft);
  margin: 0 0 6px;
`
export const Prose = styled.p<Flush>`
  margin: ${(p) => (p.$flush ? '0' : 'var(--gap-3) 0')};
  max-width: 62ch;
`
export const Well = styled.div<Flush>`
  background: var(--surface);
  border: var(--hair);
  border-radius: var(--radius);
  padding: var(--gap-3);
  margin-top: ${(p) => (p.$flush ? '0' : 'var(--gap-4)')};
`
export const Row = styled.div<Above & { $ends?: boolean }>`
  display: flex;
  flex-wrap: wrap;
  gap: var(--gap-3);
  align-items: baseline;
  ${(p) => p.$ends && 'justify-content: flex-end;'}
  ${above}
`
export const Small = styled(Soft)`
  font-size: var(--step--1);
`
/** Text of several lines, as it was written. */
export const AsWritten = styled.div`
  white-space: pre-line;
  overflow-wrap: anywhere;
`
/** A picture in the room that there is. */
export const Picture = styled.img`
  display: block;
  max-width: 100%;
`
export const Code = styled.code`
  display: block;
  background: var(--sunk);
  padding: var(--gap-3);
  border-radius: var(--radius);
  overflow-x: auto;
`
const Listing = styled.pre`
  background: var(--sunk);
  padding: var(--gap-3);
  border-radius: var(--radius);
  overflow: auto;
  max-height: 460px;
  margin: 0;
  font-size: var(--step--1);
  line-height: 1.5;
`
/** Text to copy; it scrolls by keyboard too. */
export const Copyable = ({ text, label }: { text: string; label: string }) => {
  const [copied, setCopied] = useState(false)
  const copy = () => void navigator.clipboard.writeText(text).then(() => setCopied(true))
  return (
    <>
      <Listing tabIndex={0} role="region" aria-label={label}>
        {text}
      </Listing>
      <p>
        <QuietButton onPress={copy}>{copied ? 'Copied' : 'Copy'}</QuietButton>
      </p>
    </>
  )
}
export const Table = styled.table`
  width: 100%;
  border-collapse: collapse;
  th,
  td {
    text-align: left;
    padding: 8px 12px 8px 0;
    border-bottom: var(--hair);
    vertical-align: top;
  }
  th {
    color: var(--ink-soft);
    font-weight: 400;
  }
`
const Big = styled.span<{ $tone?: string }>`
  font-size: var(--step-4);
  font-weight: 600;
  letter-spacing: -0.02em;
  color: ${(p) => p.$tone ?? 'inherit'};
  small {
    font-size: var(--step-1);
    font-weight: 400;
    letter-spacing: 0;
    color: var(--ink-soft);
  }
`
export const BigFigure = ({ value, unit, tone }: { value: string; unit: string; tone?: string }) => (
  <Big $tone={tone}>
    {value} <small>{unit}</small>
  </Big>
)
const Problem = styled.p`
  border-left: 3px solid var(--critical);
  padding-left: var(--gap-3);
`
export const Failure = ({ error }: { error: Error }) => <Problem role="alert">{error.message}</Problem>
export const Scroll = styled.div<Above>`
  overflow-x: auto;
  ${above}
`

/** A page's matter, and what stands beside it where there is room. */
export const Beside = styled.div<Above>`
  ${above}
  display: grid;
  grid-template-columns: minmax(0, 1fr) 300px;
  gap: var(--gap-5);
  align-items: start;
  > * {
    min-width: 0;
  }
  @media (max-width: 1000px) {
    grid-template-columns: minmax(0, 1fr);
  }
`

/** The heads of a table's columns. */
export const Columns = ({ names }: { names: string[] }) => (
  <thead>
    <tr>
      {names.map((name) =>
        name ? (
          <th scope="col" key={name}>
            {name}
          </th>
        ) : (
          <td key="acts" />
        ),
      )}
    </tr>
  </thead>
)

/** A cell of figures, which stand below each other by their places. */
export const Num = styled.td`
  font-variant-numeric: tabular-nums;
  white-space: nowrap;
`
/** A cell of few words, on one line. */
export const Brief = styled.td`
  white-space: nowrap;
`
/** A cell of many words, which are broken where they must be. */
export const Wordy = styled.td`
  min-width: 200px;
  overflow-wrap: anywhere;
`
