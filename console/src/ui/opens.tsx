import styled from 'styled-components'
import { type ReactNode, useState } from 'react'
import { QuietButton } from './basics'
import { focusInto } from './focus'

/** It takes the whole line of the row that its button stood in. */
const Opened = styled.div`
  flex-basis: 100%;
`

type Props = {
  name: string // what the button says
  label?: string // says the button where its name does not
  startOpen?: boolean
  children: (close: () => void) => ReactNode
}

/** A button that opens something in its place. The focus goes into it, and back to the button. */
export function Opens({ name, label, startOpen, children }: Props) {
  const [open, setOpen] = useState(!!startOpen)
  const [was, setWas] = useState(false)
  if (!open)
    return (
      // eslint-disable-next-line jsx-a11y/no-autofocus -- back to what opened it
      <QuietButton onPress={() => setOpen(true)} aria-label={label} autoFocus={was}>
        {name}
      </QuietButton>
    )
  const close = () => {
    setWas(true)
    setOpen(false)
  }
  return (
    <Opened
      ref={startOpen && !was ? undefined : focusInto}
      role="group"
      aria-label={(label ?? name).replace(/ …$/, '')}
    >
      {children(close)}
    </Opened>
  )
}
