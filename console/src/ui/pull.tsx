import { useEffect, useState } from 'react'
import styled from 'styled-components'

const enough = 84 // pixels
const Hint = styled.div`
  position: fixed;
  z-index: 7;
  inset: 0 0 auto;
  text-align: center;
  padding: var(--gap-2);
  background: var(--sunk);
  border-bottom: var(--hair);
`

/** On a touch screen: pulled down from its top, the page is asked for anew. */
export function PullToRefresh({ onRefresh }: { onRefresh: () => Promise<unknown> }) {
  const [pulled, setPulled] = useState(0)
  const [asking, setAsking] = useState(false)
  useEffect(() => {
    let begun: number | undefined
    const reach = { by: 0 }
    const start = (e: TouchEvent) => {
      const inner = (e.target as HTMLElement).closest(
        '[role=application], [role=dialog], [role=region], [data-arrange]',
      )
      begun = scrollY <= 0 && e.touches.length === 1 && !inner ? e.touches[0]!.clientY : undefined
      reach.by = 0
    }
    const move = (e: TouchEvent) => {
      if (begun === undefined) return
      reach.by = Math.max(0, e.touches[0]!.clientY - begun)
      if (scrollY <= 0) setPulled(reach.by)
    }
    const end = () => {
      if (begun !== undefined && reach.by > enough && scrollY <= 0) {
        setAsking(true)
        void onRefresh().finally(() => setAsking(false))
      }
      begun = undefined
      setPulled(0)
    }
    addEventListener('touchstart', start, { passive: true })
    addEventListener('touchmove', move, { passive: true })
    addEventListener('touchend', end)
    addEventListener('touchcancel', end)
    return () => {
      removeEventListener('touchstart', start)
      removeEventListener('touchmove', move)
      removeEventListener('touchend', end)
      removeEventListener('touchcancel', end)
    }
  }, [onRefresh])
  if (!asking && pulled < 24) return null
  return (
    <Hint role="status" data-pull>
      {asking ? 'Asking anew …' : pulled > enough ? 'Let go to ask anew' : 'Pull to ask anew'}
    </Hint>
  )
}
