import { type ReactNode, useState } from 'react'
import { Button, Failure, Prose, QuietButton, Row, Well } from './basics'

type Props = {
  name: string // what is done, as a button says it: "Remove the kit"
  says: ReactNode // what that comes to
  act: (after: { onSuccess: () => void }) => void
  error: Error | null
  done: () => void
}

/** Something that takes much away: it says what, and asks once more. */
export function Sure({ name, says, act, error, done }: Props) {
  const [open, setOpen] = useState(false)
  if (!open) return <QuietButton onPress={() => setOpen(true)}>{name} …</QuietButton>
  return (
    <Well role="group" aria-label={name}>
      <Prose>{says}</Prose>
      <Row>
        <Button onPress={() => act({ onSuccess: done })}>Yes: {name.charAt(0).toLowerCase() + name.slice(1)}</Button>
        <QuietButton onPress={() => setOpen(false)}>Leave it</QuietButton>
      </Row>
      {error && <Failure error={error} />}
    </Well>
  )
}
