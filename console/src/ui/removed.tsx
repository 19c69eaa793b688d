import { tellRemoved, useBringBack, useLastRemoved } from '../api/removed'
import { Failure, QuietButton, Row, Well } from './basics'

/** That something was removed just now, and the way back. */
export function JustRemoved() {
  const gone = useLastRemoved()
  const back = useBringBack()
  return (
    <div role="status" data-removed>
      {gone && (
        <Well $flush>
          <Row>
            <span>
              The {gone.kind} {gone.name} was removed. It can be brought back for 30 days.
            </span>
            <QuietButton onPress={() => back.mutate(gone)} isDisabled={back.isPending}>
              Bring back
            </QuietButton>
            <QuietButton
              onPress={() => {
                back.reset()
                tellRemoved()
              }}
            >
              Close
            </QuietButton>
          </Row>
          {back.error && <Failure error={back.error} />}
        </Well>
      )}
    </div>
  )
}
