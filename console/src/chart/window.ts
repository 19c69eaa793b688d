/** A stretch of time in milliseconds since 1970. */
export type Stretch = { from: number; until: number }

/** What charts show: the last `span` up to now, or a fixed stretch that was zoomed to. */
export type View = { span: number; fixed?: Stretch }

const shortest = 1000
const longest = 3 * 366 * 86_400_000

/** The stretch that is shown now; of the live one a little room is left at its end. */
export const boundsOf = (view: View, now: number): Stretch =>
  view.fixed ?? { from: now - view.span, until: now + view.span / 200 }

const clamp = (v: number, low: number, high: number) => Math.min(high, Math.max(low, v))

/** A view that shows `factor` as much, around an instant that stays where it is. */
export function zoomed(view: View, now: number, factor: number, around?: number): View {
  const { from, until } = boundsOf(view, now)
  const length = clamp((until - from) * factor, shortest, longest)
  const live = view.fixed === undefined
  // At the live edge zooming stays there, unless it is asked for around an instant.
  if (live && around === undefined) return { span: length }
  const at = around ?? (from + until) / 2
  const begin = at - ((at - from) / (until - from)) * length
  return shifted({ span: view.span, fixed: { from: begin, until: begin + length } }, now, 0)
}

/** A view moved by parts of its length; one that reaches now is live again. */
export function shifted(view: View, now: number, parts: number): View {
  const { from, until } = boundsOf(view, now)
  const length = until - from
  const end = until + parts * length
  if (end >= now && parts > 0) return { span: length }
  const last = Math.min(end, now)
  return { span: view.span, fixed: { from: last - length, until: last } }
}

/** A view of a stretch that was drawn over a chart. */
export const framed = (view: View, from: number, until: number): View => {
  const length = Math.max(until - from, shortest)
  return { span: view.span, fixed: { from: Math.round(from), until: Math.round(from + length) } }
}
