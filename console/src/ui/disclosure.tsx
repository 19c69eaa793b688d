import type { ReactNode } from 'react'
import { Button, Disclosure, DisclosurePanel } from 'react-aria-components'
import styled from 'styled-components'

const Room = styled(Disclosure)`
  margin-top: var(--gap-3);
`
const Opener = styled(Button)`
  font: inherit;
  color: inherit;
  text-align: left;
  background: none;
  border: 0;
  padding: 2px 0;
  min-height: 28px;
  cursor: pointer;
  &::before {
    content: '▸';
    display: inline-block;
    width: 1.1em;
  }
  &[aria-expanded='true']::before {
    content: '▾';
  }
`
type Props = {
  title: ReactNode
  startOpen?: boolean
  onOpen?: (open: boolean) => void
  children: ReactNode
}

/** What few need, behind its title. */
export const Details = ({ title, startOpen, onOpen, children }: Props) => (
  <Room defaultExpanded={startOpen} onExpandedChange={onOpen}>
    <Opener slot="trigger">{title}</Opener>
    <DisclosurePanel>{children}</DisclosurePanel>
  </Room>
)
