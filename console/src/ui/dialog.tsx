import type { ReactNode } from 'react'
import { Dialog as AriaDialog, Heading, Modal, ModalOverlay } from 'react-aria-components'
import styled from 'styled-components'

const Veil = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  z-index: 10;
  background: color-mix(in srgb, var(--ink) 34%, transparent);
  display: grid;
  place-items: start center;
  padding: min(8vh, 60px) var(--gap-3) var(--gap-3);
  @media (prefers-color-scheme: dark) {
    background: rgb(0 0 0 / 0.6);
  }
`
const Sheet = styled(Modal)<{ $wide?: boolean }>`
  width: min(${(p) => (p.$wide ? '960px' : '560px')}, 100%);
  max-height: min(84vh, 100%);
  display: flex;
  background: var(--paper);
  border: var(--hair);
  border-radius: var(--radius);
  box-shadow: 0 12px 40px rgb(0 0 0 / 0.25);
`
const Inside = styled(AriaDialog)`
  flex: 1;
  min-width: 0;
  overflow: auto;
  padding: var(--gap-4);
  outline: none;
`
const Title = styled(Heading)`
  margin: 0 0 var(--gap-3);
  font-size: var(--step-2);
  font-weight: 560;
`
type Props = { title: string; open: boolean; onClose: () => void; wide?: boolean; children: ReactNode }

/** Something to look at or decide before going on; Escape and a press beside it close it. */
export const Dialog = ({ title, open, onClose, wide, children }: Props) => (
  <Veil isOpen={open} onOpenChange={(is) => !is && onClose()} isDismissable>
    <Sheet $wide={wide}>
      <Inside>
        <Title slot="title" level={2}>
          {title}
        </Title>
        {children}
      </Inside>
    </Sheet>
  </Veil>
)
