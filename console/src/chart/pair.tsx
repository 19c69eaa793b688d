import styled from 'styled-components'
import { useEffect, useRef } from 'react'
import uPlot from 'uplot'
import 'uplot/dist/uPlot.min.css'
import { clock, figure } from '../api/words'

const Figure = styled.figure`
  margin: 0;
`

type Props = {
  at: number[]
  first: number[]
  second: number[]
  names: [string, string]
  zone: string
  label: string // says in words what the chart shows
}

const height = 260
const Plot = styled.div`
  height: ${height}px;
  overflow: hidden;
`
const colour = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim()

/** Two lines over the same stretch, the second dashed. */
export function PairChart({ at, first, second, names, zone, label }: Props) {
  const box = useRef<HTMLDivElement>(null)
  useEffect(() => {
    const element = box.current
    if (!element) return
    const axis: uPlot.Axis = {
      stroke: colour('ink-soft'),
      font: `12px ${colour('face')}`,
      grid: { stroke: colour('line'), width: 1 },
      ticks: { show: false },
    }
    const day = (t: number) =>
      clock(t, zone) === '00:00' ? clock(t, zone, { day: 'numeric', month: 'short' }) : clock(t, zone)
    const plot = new uPlot(
      {
        width: element.clientWidth,
        height,
        ms: 1,
        tzDate: (t) => uPlot.tzDate(new Date(t), zone),
        legend: { show: false },
        cursor: { show: false },
        axes: [
          { ...axis, grid: { show: false }, values: (_, ticks) => ticks.map(day) },
          { ...axis, size: 56, values: (_, ticks) => ticks.map((v) => figure(v)) },
        ],
        series: [
          {},
          { stroke: colour('line-1'), width: 1.4, points: { show: false } },
          { stroke: colour('line-2'), width: 1.6, dash: [7, 4], points: { show: false } },
        ],
      },
      [at, first, second],
      element,
    )
    const resized = new ResizeObserver(() => plot.setSize({ width: element.clientWidth, height }))
    resized.observe(element)
    return () => {
      resized.disconnect()
      plot.destroy()
    }
  }, [at, first, second, zone])
  return (
    <Figure>
      <Plot ref={box} role="img" aria-label={label} />
      <figcaption>
        <Key name="line-1" /> {names[0]} &nbsp; <Key name="line-2" dashed /> {names[1]}
      </figcaption>
    </Figure>
  )
}

const Key = ({ name, dashed }: { name: string; dashed?: boolean }) => (
  <svg width="26" height="8" aria-hidden="true">
    <path d="M0 4H26" stroke={`var(--${name})`} strokeWidth="2" strokeDasharray={dashed ? '7 4' : undefined} />
  </svg>
)
