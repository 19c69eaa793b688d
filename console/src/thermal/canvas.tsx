import { type KeyboardEvent, type PointerEvent, type ReactNode, useEffect, useRef, useState } from 'react'
import styled from 'styled-components'
import type { Region } from '../api/client'
import type { Grid } from '../api/frames'
import { seen, seenDifference, shown } from '../api/units'
import { figure } from '../api/words'
import { outline } from './shapes'

const Box = styled.div`
  position: relative;
  width: 100%;
  touch-action: pan-y;
  canvas,
  img,
  svg {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
  }
  canvas {
    image-rendering: pixelated;
  }
  svg {
    overflow: visible;
  }
  &[data-drawing] {
    cursor: crosshair;
    touch-action: none;
  }
`
const Reads = styled.p`
  margin: 6px 0 0;
  min-height: 1.4em;
  font-variant-numeric: tabular-nums;
`
export type Place = { x: number; y: number } // in pixels of the frame, from its upper left corner

type Props = {
  grid: Grid
  colours: string[]
  range: [number, number]
  difference?: boolean // values are K, not °C
  regions: Region[]
  picture?: string // of visible light
  blend: number // 0: the frame alone, 1: the picture alone
  label: string
  onDraw?: (from: Place, to: Place, done: boolean) => void // a region is being drawn
  children?: ReactNode // over the frame, in its pixels
}

const hex = (c: string) => [1, 3, 5].map((i) => parseInt(c.slice(i, i + 2), 16)) as [number, number, number]

/** A thermal frame: its colours, its regions, the picture blended in, and what it reads where the pointer is, or where the
 *  arrow keys went. */
export function FrameCanvas(props: Props) {
  const { grid, colours, range, regions, picture, blend, label, onDraw, children } = props
  const canvas = useRef<HTMLCanvasElement>(null)
  const [at, setAt] = useState<Place>()
  const [from, setFrom] = useState<Place>()
  useEffect(() => {
    if (canvas.current) paint(canvas.current, grid, colours, range)
  }, [grid, colours, range])

  const placeOf = (e: PointerEvent<HTMLElement>): Place => {
    const box = e.currentTarget.getBoundingClientRect()
    const clamp = (v: number, most: number) => Math.min(most, Math.max(0, v))
    return {
      x: clamp(((e.clientX - box.left) / box.width) * grid.width, grid.width),
      y: clamp(((e.clientY - box.top) / box.height) * grid.height, grid.height),
    }
  }
  const onKey = (e: KeyboardEvent) => {
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key]
    if (!way) return
    e.preventDefault()
    const old = at ?? { x: grid.width / 2, y: grid.height / 2 }
    const step = (v: number, by: number, most: number) => Math.min(most - 1, Math.max(0, Math.floor(v) + by)) + 0.5
    setAt({ x: step(old.x, way[0]!, grid.width), y: step(old.y, way[1]!, grid.height) })
  }
  return (
    <>
      <Box
        style={{ aspectRatio: `${grid.width} / ${grid.height}` }}
        role="application"
        aria-roledescription="thermal frame"
        aria-label={`${label}. Arrow keys read it.`}
        tabIndex={0}
        data-frame={grid.at}
        data-drawing={onDraw ? true : undefined}
        onKeyDown={onKey}
        onPointerDown={(e) => {
          if (!onDraw) return
          e.currentTarget.setPointerCapture(e.pointerId)
          setFrom(placeOf(e))
        }}
        onPointerMove={(e) => {
          const place = placeOf(e)
          setAt(place)
          if (from) onDraw?.(from, place, false)
        }}
        onPointerUp={(e) => {
          if (from) onDraw?.(from, placeOf(e), true)
          setFrom(undefined)
        }}
        onPointerLeave={() => setAt(undefined)}
      >
        {picture && blend > 0 && <img src={picture} alt="" />}
        <canvas ref={canvas} style={{ opacity: picture ? 1 - blend : 1 }} />
        <svg viewBox={`0 0 ${grid.width} ${grid.height}`} preserveAspectRatio="none" aria-hidden="true">
          {regions.map((r) => (
            <Outline key={r.name} region={r} />
          ))}
          {children}
        </svg>
      </Box>
      <Reads role="status">{at ? readsAt(props, at) : '\u00a0'}</Reads>
    </>
  )
}

/** The edge of a region, light beside dark, so that it is seen on any colour. */
export function Outline({ region, chosen }: { region: Pick<Region, 'shape' | 'points'>; chosen?: boolean }) {
  const d = outline(region)
  const width = chosen ? 2.5 : 1.5
  return (
    <>
      <path d={d} fill="none" stroke="#1c2530" strokeWidth={width + 2} vectorEffect="non-scaling-stroke" />
      <path d={d} fill="none" stroke="#fffdf8" strokeWidth={width} vectorEffect="non-scaling-stroke" />
    </>
  )
}

/** What a frame reads at a place. */
function readsAt({ grid, difference, regions }: Props, at: Place) {
  const [x, y] = [Math.min(grid.width - 1, Math.floor(at.x)), Math.min(grid.height - 1, Math.floor(at.y))]
  const v = grid.values[y * grid.width + x]
  const inside = regions.filter((r) => r.shape !== 'spot' && within(r, { x: x + 0.5, y: y + 0.5 })).map((r) => r.name)
  const place = `column ${x + 1}, row ${y + 1}${inside.length ? `, in ${inside.join(' and ')}` : ''}`
  if (v == null) return `No temperature · ${place}`
  const reads = difference
    ? `${v > 0 ? '+' : ''}${figure(Number(seenDifference(v, 'Cel').toFixed(1)))} ${shown('Cel') === '°C' ? 'K' : shown('Cel')}`
    : `${figure(Number(seen(v, 'Cel').toFixed(1)))} ${shown('Cel')}`
  return `${reads} · ${place}`
}

/** Whether a place lies within the upright rectangle around a region. */
function within(r: Region, p: Place) {
  const xs = r.points.map((q) => q.x)
  const ys = r.points.map((q) => q.y)
  return p.x >= Math.min(...xs) && p.x <= Math.max(...xs) && p.y >= Math.min(...ys) && p.y <= Math.max(...ys)
}

function paint(canvas: HTMLCanvasElement, grid: Grid, colours: string[], [low, high]: [number, number]) {
  canvas.width = grid.width
  canvas.height = grid.height
  const context = canvas.getContext('2d')
  if (!context) return
  const table = colours.map(hex)
  const image = context.createImageData(grid.width, grid.height)
  grid.values.forEach((v, i) => {
    const share = v == null ? 0 : Math.min(1, Math.max(0, (v - low) / (high - low || 1)))
    const [r, g, b] = v == null ? [0x8a, 0x90, 0x97] : table[Math.round(255 * share)]!
    image.data.set([r, g, b, 255], 4 * i)
  })
  context.putImageData(image, 0, 0)
}
