import type { ReactNode } from 'react'
import { Button, Menu as AriaMenu, MenuItem, MenuTrigger, Popover } from 'react-aria-components'
import styled from 'styled-components'

const Trigger = styled(Button)<{ $small?: boolean }>`
  font: 600 var(--step-0) var(--face);
  color: var(--accent);
  background: transparent;
  border: ${(p) => (p.$small ? '0' : '1px solid var(--line)')};
  border-radius: var(--radius);
  min-height: ${(p) => (p.$small ? '24px' : '36px')};
  min-width: 28px;
  @media print {
    display: none;
  }
  padding: ${(p) => (p.$small ? '0 6px' : '7px 14px')};
  cursor: pointer;
`
const Box = styled(Popover)`
  background: var(--surface);
  border: 1px solid var(--ink-soft);
  border-radius: var(--radius);
  min-width: 180px;
  max-height: 60vh;
  overflow: auto;
  box-shadow: 0 6px 20px rgb(0 0 0 / 0.18);
`
const Items = styled(AriaMenu)`
  outline: none;
  padding: 4px;
`
const Item = styled(MenuItem)`
  padding: 7px 12px;
  min-height: 36px;
  cursor: pointer;
  outline: none;
  border-radius: 2px;
  &[data-focused] {
    background: var(--sunk);
  }
  &[data-disabled] {
    color: var(--ink-soft);
    cursor: default;
  }
`
type Props = {
  label: string
  face?: ReactNode // what is on the button, when that is not the label
  small?: boolean
  items: { name: string; act: () => void; off?: boolean }[]
}

/** Several things to do behind one button. */
export const Menu = ({ label, face, small, items }: Props) => (
  <MenuTrigger>
    <Trigger $small={small} aria-label={label}>
      {face ?? label}
    </Trigger>
    <Box placement="bottom end">
      <Items aria-label={label}>
        {items.map((i) => (
          <Item key={i.name} onAction={i.act} isDisabled={i.off}>
            {i.name}
          </Item>
        ))}
      </Items>
    </Box>
  </MenuTrigger>
)
