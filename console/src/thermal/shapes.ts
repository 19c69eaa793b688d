import type { Region } from '../api/client'

type Drawn = Pick<Region, 'shape' | 'points'>

/** The outline of a region as an SVG path, in pixels of the frame. */
export function outline({ shape, points }: Drawn): string {
  const xs = points.map((p) => p.x)
  const ys = points.map((p) => p.y)
  const [left, right, top, bottom] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)]
  switch (shape) {
    case 'spot':
      return `M${left - 0.7} ${top}L${left} ${top - 0.7}L${left + 0.7} ${top}L${left} ${top + 0.7}Z`
    case 'rectangle':
      return `M${left} ${top}H${right}V${bottom}H${left}Z`
    case 'ellipse': {
      const [rx, ry] = [(right - left) / 2, (bottom - top) / 2]
      return `M${left} ${top + ry}a${rx} ${ry} 0 1 0 ${2 * rx} 0a${rx} ${ry} 0 1 0 ${-2 * rx} 0Z`
    }
    case 'polygon':
      return `M${points.map((p) => `${p.x} ${p.y}`).join('L')}Z`
  }
}

/** The first signal of a region: its value for a spot, its highest for others. */
export const signalOf = (r: Region) => (r.shape === 'spot' ? r.name : `${r.name}-highest`)

const half = (v: number) => Math.round(v * 2) / 2

/** Points of a shape that is drawn from one corner to the other. */
export function drawn(shape: Region['shape'], from: { x: number; y: number }, to: { x: number; y: number }) {
  const pixel = (v: number) => Math.floor(v) + 0.5
  return shape === 'spot'
    ? [{ x: pixel(to.x), y: pixel(to.y) }]
    : [
        { x: half(from.x), y: half(from.y) },
        { x: half(to.x), y: half(to.y) },
      ]
}

/** Points as people write them: "12,6 18,12". */
export const pointsText = (points: Region['points']) => points.map((p) => `${p.x},${p.y}`).join(' ')

export function pointsOf(text: string): Region['points'] {
  return text
    .trim()
    .split(/\s+/)
    .filter(Boolean)
    .map((pair) => {
      const [x, y] = pair.split(',').map(Number)
      if (x === undefined || y === undefined || Number.isNaN(x) || Number.isNaN(y))
        throw new Error(`“${pair}” is no point like 12,6.`)
      return { x, y }
    })
}
