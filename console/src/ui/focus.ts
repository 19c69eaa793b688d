import { useEffect, useRef } from 'react'
import { useLocation, useNavigationType } from 'react-router'

const page = () => document.getElementById('page')
const put = (el: HTMLElement) => {
  if (el.tabIndex < 0) el.tabIndex = -1
  el.focus({ preventScroll: true })
}

const acts = ['keydown', 'pointerdown'] as const

/** Brings the focus to the heading of a page that was gone to, as soon as it is there, and announces it in a live region. */
export function useArrival() {
  const { pathname, hash } = useLocation()
  const how = useNavigationType()
  const from = useRef(pathname)
  const region = useRef<HTMLParagraphElement>(null)
  useEffect(() => {
    const came = pathname !== from.current
    from.current = pathname
    // A page that is loaded has its focus where the browser puts it; only who was called to an alarm is brought to it.
    if (!came && !pathname.startsWith('/alarms/')) return
    let acted = false // the person went on by themselves while the page was on its way
    const act = () => (acted = true)
    const arrive = () => {
      const heading = page()?.querySelector('h1')
      if (!heading) return false
      if (region.current) region.current.textContent = heading.innerText
      const now = document.activeElement
      const taken =
        now instanceof HTMLElement && !!page()?.contains(now) && (acted || now.matches('input, select, textarea'))
      if (!hash && !taken && !document.querySelector('[role=dialog]')) put(heading)
      return true
    }
    if (came && how !== 'POP') scrollTo(0, 0)
    if (arrive()) return
    const stop = () => {
      watch.disconnect()
      for (const kind of acts) removeEventListener(kind, act, true)
    }
    const watch = new MutationObserver(() => arrive() && stop())
    watch.observe(document.body, { childList: true, subtree: true })
    for (const kind of acts) addEventListener(kind, act, true)
    return stop
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once for each page
  }, [pathname])
  return region
}

/** What can be focused by the keyboard. */
const stops =
  'a[href], button:not(:disabled), input:not(:disabled, [type=hidden]), select:not(:disabled), textarea:not(:disabled), [tabindex="0"]'

/** Lets the focus never go to nothing: when what has it is taken away, what stood around it gets it; when it was out of use
 *  for a while, as a button is while its form is sent, it gets it back. */
export function useFocusKept() {
  useEffect(() => {
    let last: HTMLElement | undefined
    let around: HTMLElement[] = []
    let waits = false // what had the focus is out of use
    const note = (e: FocusEvent) => {
      last = e.target as HTMLElement
      waits = false
      around = []
      for (let el = last.parentElement; el; el = el.parentElement) around.push(el)
    }
    // Who presses beside everything wants the focus nowhere.
    const leave = () => setTimeout(() => document.activeElement === document.body && (last = undefined))
    const restore = () => {
      if (!last || document.activeElement !== document.body || !page()) return
      if (last.isConnected) {
        if (last.matches(':disabled')) waits = true
        else if (waits) last.focus({ preventScroll: true })
        return
      }
      const left = around.find((el) => el.isConnected && page()!.contains(el)) ?? page()!
      const next = left === page() ? left.querySelector<HTMLElement>('h1') : left.querySelector<HTMLElement>(stops)
      put(next ?? left)
    }
    // The focus is on its way while a press is handled; it is looked at once that is done.
    const look = () => {
      if (last && document.activeElement === document.body) setTimeout(restore)
    }
    const watch = new MutationObserver(look)
    watch.observe(document.body, { childList: true, subtree: true, attributeFilter: ['disabled'] })
    addEventListener('focusin', note)
    addEventListener('pointerdown', leave)
    return () => {
      watch.disconnect()
      removeEventListener('focusin', note)
      removeEventListener('pointerdown', leave)
    }
  }, [])
}

const fields = 'input:not([type=hidden]), select, textarea'

/** Brings the focus into something that has opened: to its first field, else to itself. */
export function focusInto(el: HTMLElement | null) {
  if (el) put(el.querySelector<HTMLElement>(fields) ?? el)
}

/** Brings the focus on into what came later than that in which it opened. */
export function focusOn(el: HTMLElement | null) {
  const now = document.activeElement
  const field = el?.querySelector<HTMLElement>(fields)
  if (field && now?.matches('[role=dialog], [role=group]') && now.contains(el)) put(field)
}
