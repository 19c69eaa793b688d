import styled from 'styled-components'
import type { Unsaved } from '../api/drafts'
import { useSite } from '../api/site'
import { clock } from '../api/words'
import { QuietButton } from './basics'

const Strip = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: var(--gap-2) var(--gap-3);
  align-items: center;
  padding: var(--gap-2) var(--gap-3);
  background: var(--sunk);
  border-left: 3px solid var(--accent);
`

/** That what stands in the fields was written before and is not saved. */
export const Found = ({ unsaved }: { unsaved?: Unsaved }) =>
  unsaved?.at ? <Told unsaved={unsaved} at={unsaved.at} /> : null

function Told({ unsaved, at }: { unsaved: Unsaved; at: number }) {
  const zone = useSite().data?.zone ?? 'UTC'
  const when = clock(at, zone, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })
  return (
    <Strip role="status" data-unsaved>
      <span>
        Not saved: what you wrote on {when}.{unsaved.changed && ' What it changes has been changed by others since.'}
      </span>
      <QuietButton onPress={unsaved.goOn}>Go on with it</QuietButton>
      <QuietButton onPress={unsaved.discard}>Discard it</QuietButton>
    </Strip>
  )
}
