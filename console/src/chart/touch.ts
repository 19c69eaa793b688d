import type uPlot from 'uplot'
import { type Stretch, type View } from './window'

type Shown = { current: { view: View; bounds: Stretch; onView: (view: View) => void } }

/** Lets fingers move (one, sideways) and zoom (two) what is in view, and the wheel with Ctrl held zoom it. */
export function touches(element: HTMLElement, shown: Shown, plot: { current?: uPlot }) {
  const fingers = new Map<number, number>()
  let begun: { xs: number[]; bounds: Stretch } | undefined
  const at = (x: number, { from, until }: Stretch) => {
    const box = plot.current?.over.getBoundingClientRect()
    return box ? from + ((x - box.left) / box.width) * (until - from) : from
  }
  const begin = () => {
    begun = fingers.size ? { xs: [...fingers.values()], bounds: shown.current.bounds } : undefined
  }
  const down = (e: PointerEvent) => {
    if (e.pointerType !== 'touch') return
    fingers.set(e.pointerId, e.clientX)
    begin()
  }
  const move = (e: PointerEvent) => {
    if (!begun || !fingers.has(e.pointerId)) return
    fingers.set(e.pointerId, e.clientX)
    const xs = [...fingers.values()]
    const old = begun.bounds
    if (xs.length === 1) {
      const by = at(begun.xs[0]!, old) - at(xs[0]!, old)
      if (Math.abs(begun.xs[0]! - xs[0]!) > 4) show(old.from + by, old.until + by)
    } else if (xs.length === 2 && begun.xs.length === 2) {
      const [a, b] = begun.xs.map((x) => at(x, old)) as [number, number]
      const [x, y] = xs.map((v) => at(v, old)) as [number, number]
      const factor = Math.abs(b - a) / Math.max(1, Math.abs(y - x))
      const middle = (a + b) / 2
      show(middle - (middle - old.from) * factor, middle + (old.until - middle) * factor)
    }
  }
  const show = (from: number, until: number) => {
    const now = Date.now()
    const { view, onView } = shown.current
    onView(until >= now && from < now ? { span: now - from } : { span: view.span, fixed: { from, until } })
  }
  const up = (e: PointerEvent) => {
    fingers.delete(e.pointerId)
    begin()
  }
  const wheel = (e: WheelEvent) => {
    if (!e.ctrlKey) return
    e.preventDefault()
    const old = shown.current.bounds
    const middle = at(e.clientX, old)
    const factor = Math.exp(e.deltaY / 240)
    show(middle - (middle - old.from) * factor, middle + (old.until - middle) * factor)
  }
  element.addEventListener('pointerdown', down)
  element.addEventListener('pointermove', move)
  element.addEventListener('pointerup', up)
  element.addEventListener('pointercancel', up)
  element.addEventListener('wheel', wheel, { passive: false })
  return () => {
    element.removeEventListener('pointerdown', down)
    element.removeEventListener('pointermove', move)
    element.removeEventListener('pointerup', up)
    element.removeEventListener('pointercancel', up)
    element.removeEventListener('wheel', wheel)
  }
}
