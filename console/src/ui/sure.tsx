import { type ReactNode } from 'react'
import { type Gone, tellRemoved } from '../api/removed'
import { Button, Failure, Prose, QuietButton, Row, Well } from './basics'
import { Opens } from './opens'

type Props = {
  name: string // what is done, as a button says it: "Remove the kit"
  says: ReactNode // what that comes to
  act: () => Promise<unknown> // what follows it is done though the page went as it was done: others hear of it first
  error: Error | null
  done: () => void
  gone?: Gone // what is removed by it, which can be brought back
  short?: string // what the button says where its row tells of what
}

/** Something that takes much away: it says what, and asks once more. */
export const Sure = ({ name, says, act, error, done, gone, short }: Props) => (
  <Opens name={`${short ?? name} …`} label={short && name}>
    {(close) => (
      <Well style={{ marginTop: 0 }}>
        <Prose style={{ marginTop: 0 }}>
          <b>{name}?</b> {says} {gone && 'It can be brought back for 30 days.'}
        </Prose>
        <Row>
          <Button
            onPress={() =>
              void act().then(
                () => {
                  if (gone) tellRemoved(gone)
                  close()
                  done()
                },
                () => undefined, // error says it
              )
            }
          >
            {name}
          </Button>
          <QuietButton onPress={close}>Cancel</QuietButton>
        </Row>
        {error && <Failure error={error} />}
      </Well>
    )}
  </Opens>
)
