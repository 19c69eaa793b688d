import type { ReactNode } from 'react'
import { Checkbox, CheckboxGroup, Radio, RadioGroup } from 'react-aria-components'
import styled, { css } from 'styled-components'
import { Soft } from './basics'
import { Read, useFormWay } from './form'

/** What is drawn before the words of something that can be ticked: square for any of several, round for one of them. */
const ticked = css`
  cursor: pointer;
  &::before {
    content: '';
    flex: none;
    width: 22px;
    height: 22px;
    border: 1px solid var(--ink-soft);
    border-radius: 3px;
    background: var(--surface);
    color: var(--accent-ink);
    font: 700 16px / 21px var(--face);
    text-align: center;
  }
  &[data-selected]::before {
    content: '✓';
    background: var(--accent);
    border-color: var(--accent);
  }
  &[data-focus-visible]::before {
    outline: 2px solid var(--accent);
    outline-offset: 2px;
  }
`
const Tickable = styled(Checkbox)`
  ${ticked}
  display: flex;
  gap: var(--gap-2);
  align-items: center;
  min-height: 40px;
  font-weight: 600;
`
const row = css`
  ${ticked}
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 6px 10px;
  min-height: 34px;
  font-weight: 400;
  border-bottom: var(--hair);
  > span {
    flex: 1;
    min-width: 0;
  }
`
const ManyRow = styled(Checkbox)`
  ${row}
`
const OneRow = styled(Radio)`
  ${row}
  &::before {
    border-radius: 50%;
  }
  &[data-selected]::before {
    content: '●';
    font-size: 12px;
  }
`
const list = css`
  max-height: 330px;
  overflow: auto;
  border: var(--hair);
  margin-top: var(--gap-2);
  background: var(--surface);
`
const Many = styled(CheckboxGroup)`
  ${list}
`
const One = styled(RadioGroup)`
  ${list}
`

/** Something that can be picked: what it reads, and what else is told of it. */
export type Item = { value: string; text: string; says?: string }

type ManyProps = {
  label: string
  items: Item[]
  picked: string[]
  onChange: (picked: string[]) => void
  none?: string // said where there is nothing to pick
}

/** Any of several, in a list that scrolls. */
export const PickMany = ({ label, items, picked, onChange, none }: ManyProps) => (
  <Many aria-label={label} value={picked} onChange={onChange}>
    {items.map((i) => (
      <ManyRow key={i.value} value={i.value}>
        <span>{i.text}</span>
        {i.says && <Soft>{i.says}</Soft>}
      </ManyRow>
    ))}
    {items.length === 0 && none && <p>{none}</p>}
  </Many>
)

type OneProps = Omit<ManyProps, 'picked' | 'onChange'> & { picked: string; onChange: (picked: string) => void }

/** One of several, in a list that scrolls. */
export const PickOne = ({ label, items, picked, onChange, none }: OneProps) => (
  <One aria-label={label} value={picked} onChange={onChange}>
    {items.map((i) => (
      <OneRow key={i.value} value={i.value}>
        <span>{i.text}</span>
        {i.says && <Soft>{i.says}</Soft>}
      </OneRow>
    ))}
    {items.length === 0 && none && <p>{none}</p>}
  </One>
)

const Shown = styled(RadioGroup)`
  display: flex;
  flex-wrap: wrap;
  gap: var(--gap-1);
  max-height: 260px;
  overflow: auto;
`
const Choice = styled(Radio)`
  padding: 2px;
  min-width: 24px;
  min-height: 24px;
  border: 2px solid transparent;
  border-radius: var(--radius);
  cursor: pointer;
  &[data-selected] {
    border-color: var(--ink);
  }
  &[data-focus-visible] {
    outline: 2px solid var(--accent);
    outline-offset: 1px;
  }
`
type SightProps = {
  label: string
  items: { value: string; name: string; shows: ReactNode }[]
  picked: string
  onChange: (picked: string) => void
}

/** One of several that are told apart by how they look. */
export const PickBySight = ({ label, items, picked, onChange }: SightProps) => (
  <Shown aria-label={label} value={picked} onChange={onChange}>
    {items.map((i) => (
      <Choice key={i.value} value={i.value} aria-label={i.name}>
        {i.shows}
      </Choice>
    ))}
  </Shown>
)

type CheckProps = { label: string; value: boolean; onChange: (value: boolean) => void }

/** Yes or no. */
export function Check({ label, value, onChange }: CheckProps) {
  const { reads } = useFormWay()
  if (reads) return <Read label={label} value={value ? 'yes' : 'no'} />
  return (
    <Tickable isSelected={value} onChange={onChange}>
      {label}
    </Tickable>
  )
}

/** Yes or no, in a table whose row tells of what. */
export const Tick = ({ label, value, onChange }: CheckProps) => (
  <Tickable aria-label={label} isSelected={value} onChange={onChange}>
    <></>
  </Tickable>
)
