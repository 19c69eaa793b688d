import type { Spark as Points } from '../api/client'

type Props = { points?: Points; limits?: number[]; now?: number | null; width: number; height: number; tone?: string }

/** The last day of a signal as a small line: lowest and highest of each column, with the limits that
 *  are near drawn in. It repeats what the row says, so it is hidden from screen readers. */
export function Spark({ points, limits = [], now, width, height, tone = 'var(--ink)' }: Props) {
  const low = points?.low ?? []
  const high = points?.high ?? []
  const values = [...low, ...high, now].filter((v): v is number => v != null)
  if (values.length === 0) return <svg width={width} height={height} aria-hidden="true" />
  let bottom = Math.min(...values)
  let top = Math.max(...values)
  // A limit further away than the day's whole span would flatten the line.
  const near = limits.filter((l) => l >= bottom - 1.5 * (top - bottom) && l <= top + 1.5 * (top - bottom))
  bottom = Math.min(bottom, ...near)
  top = Math.max(top, ...near)
  const span = top - bottom || 1
  const x = (i: number) => 2 + (i / Math.max(1, low.length - 1)) * (width - 8)
  const y = (v: number) => height - 3 - ((v - bottom) / span) * (height - 6)
  let path = ''
  let pen = 'M'
  low.forEach((l, i) => {
    const h = high[i]
    if (l == null || h == null) pen = 'M'
    else {
      path += `${pen}${x(i).toFixed(1)} ${y(h).toFixed(1)}L${x(i).toFixed(1)} ${y(l).toFixed(1)}`
      pen = 'L'
    }
  })
  return (
    <svg width={width} height={height} aria-hidden="true">
      {near.map((l) => (
        <path key={l} d={`M0 ${y(l)}H${width}`} stroke="var(--ink-soft)" strokeDasharray="2 3" />
      ))}
      <path d={path} fill="none" stroke={tone} strokeWidth="1.4" strokeLinejoin="round" />
      {now != null && <circle cx={width - 5} cy={y(now)} r="2.6" fill={tone} />}
    </svg>
  )
}
