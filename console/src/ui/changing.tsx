import { useQuery } from '@tanstack/react-query'
import { type ReactNode, useState } from 'react'
import styled from 'styled-components'
import { keyOf } from '../api/changes'
import { type Answer, type Precondition, Problem, take, takeTagged, type Tagged } from '../api/client'
import { Failure, Soft } from './basics'
import { focusOn } from './focus'

const Came = styled.div`
  display: contents;
`

/** Saves what somebody changed, under the tag of the state that they saw, and then under that of what was saved. */
export type SaveUnder = <Out>(put: (header: Precondition) => Promise<Answer<Out>>) => Promise<Out>

/** Saves what is new, where nothing has its name yet. */
export const saveAsNew: SaveUnder = (put) => take(put({ 'If-None-Match': '*' }))

const changed =
  'Somebody changed it while you wrote, so it was not saved. Go on with what you wrote, or discard it to see what stands now.'

type Children<T> = (thing: T, save: SaveUnder) => ReactNode
type Props<T> = {
  of: string // what it is, and which
  look: () => Promise<Answer<T>>
  kept?: T // what is shown while the service cannot be reached
  children: Children<T>
}

/** What somebody changes: asked for once, so that nothing moves beneath their hands. Where it is another by the time that they save,
 *  nothing is written over: it is asked for anew, and what they wrote is found beside it as not saved. */
export function Changing<T>({ of, look, kept, children }: Props<T>) {
  const [round, begin] = useState(0)
  const [told, tell] = useState(false)
  const { data, error } = useQuery({
    queryKey: keyOf('changing', of, round),
    queryFn: () => takeTagged(look()),
    staleTime: Infinity,
    gcTime: 0,
    networkMode: 'always',
    retry: false, // the query that shows it all goes on trying
  })
  const offline = error && !(error instanceof Problem) && kept ? { data: kept, tag: '' } : undefined
  const begun = data ?? offline
  if (!begun) return error ? <Failure error={error} /> : <Soft>Looking …</Soft>
  return (
    <>
      {told && <Failure error={new Error(changed)} />}
      <Begun
        key={`${round} ${!!data}`}
        begun={begun}
        saved={() => tell(false)}
        anew={() => {
          tell(true)
          begin(round + 1)
        }}
      >
        {children}
      </Begun>
    </>
  )
}

type BegunProps<T> = { begun: Tagged<T>; saved: () => void; anew: () => void; children: Children<T> }

function Begun<T>({ begun, saved, anew, children }: BegunProps<T>) {
  const [thing] = useState(begun.data)
  const [save] = useState(() => savingFrom(begun.tag, saved, anew))
  return <Came ref={focusOn}>{children(thing, save)}</Came>
}

/** Gives what saves from the state with a tag on; says whether it did, or the state is another by now. */
function savingFrom(tag: string, did: () => void, moved: () => void): SaveUnder {
  return async (put) => {
    try {
      // No tag names no state: then what stands is looked at first.
      const saved = await takeTagged(put({ 'If-Match': tag || '""' }))
      tag = saved.tag
      did()
      return saved.data
    } catch (e) {
      if (e instanceof Problem && e.status === 412) moved()
      throw e
    }
  }
}
