import { type ReactNode } from 'react'
import styled from 'styled-components'
import { useAct } from '../api/queries'
import { type Gone, tellRemoved } from '../api/removed'
import { Button, Failure, QuietButton, Row, Well } from './basics'
import { Opens } from './opens'

const Asked = styled(Well)`
  margin-top: 0;
`
const Says = styled.p`
  margin: 0 0 var(--gap-3);
  max-width: 62ch;
`

type Props = {
  name: string // what is done, as a button says it: "Remove the kit"
  says: ReactNode // what that comes to
  act: () => Promise<unknown>
  done?: () => void // done though the page went as it was carried out: others hear of it first
  gone?: Gone // what is removed by it, which can be brought back
  short?: string // what the button says where its row tells of what
}

/** Something that takes much away: it says what, and asks once more. */
export const Sure = ({ name, says, act, done, gone, short }: Props) => {
  const doing = useAct(act)
  return (
    <Opens name={`${short ?? name} …`} label={short && name}>
      {(close) => (
        <Asked>
          <Says>
            <b>{name}?</b> {says} {gone && 'It can be brought back for 30 days.'}
          </Says>
          <Row>
            <Button
              onPress={() =>
                void doing.mutateAsync().then(
                  () => {
                    if (gone) tellRemoved(gone)
                    close()
                    done?.()
                  },
                  () => undefined, // told below
                )
              }
            >
              {name}
            </Button>
            <QuietButton onPress={close}>Cancel</QuietButton>
          </Row>
          {doing.error && <Failure error={doing.error} />}
        </Asked>
      )}
    </Opens>
  )
}

const Apart = styled.div`
  margin-top: var(--gap-5);
`
/** The removal of what a page or a form is about, at its foot. */
export const Removal = (p: Props) => (
  <Apart>
    <Sure {...p} />
  </Apart>
)
