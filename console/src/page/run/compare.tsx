import { useMemo, useState } from 'react'
import { useSearchParams } from 'react-router'
import styled from 'styled-components'
import type { RunComparison } from '../../api/client'
import { useRunComparison } from '../../api/run'
import { useSite } from '../../api/site'
import { seen, shown } from '../../api/units'
import { clock, figure, length, say } from '../../api/words'
import { Above, Failure, Heading, Num, PlainLink, Prose, Scroll, Soft, Table, Well } from '../../ui/basics'
import { Fields, Select } from '../../ui/form'
import { useSize } from '../../ui/size'

const Lines = styled.svg`
  display: block;
  width: 100%;
  height: 320px;
  font-size: 12px;
  text {
    fill: var(--ink-soft);
  }
`
const Key = styled.ul`
  list-style: none;
  display: flex;
  flex-wrap: wrap;
  gap: 4px var(--gap-4);
  padding: 0;
  margin: 0 0 var(--gap-2);
`

/** Runs laid over each other from their starts, and beside each other in a table. */
export function RunComparePage() {
  const [query] = useSearchParams()
  const [signal, setSignal] = useState('')
  const runs = query.get('runs') ?? ''
  const comparison = useRunComparison(runs, signal)
  if (!runs.includes(',')) return <Prose>Pick two runs or more on the page of runs.</Prose>
  if (comparison.error) return <Failure error={comparison.error} />
  if (!comparison.data) return <Soft>Looking …</Soft>
  const c = comparison.data
  return (
    <>
      <title>Runs compared · Jaunty Lark</title>
      <Above>
        <PlainLink href="/runs">Runs</PlainLink>
      </Above>
      <Heading>{c.runs.map((r) => r.title).join(' and ')}</Heading>
      {c.shared.length === 0 ? (
        <Prose>They have no signal in common.</Prose>
      ) : (
        <Well>
          {c.shared.length > 1 && (
            <Fields>
              <Select
                label="Signal"
                value={c.signal}
                onChange={setSignal}
                options={Object.fromEntries(c.shared.map((s) => [s, s]))}
              />
            </Fields>
          )}
          <Laid comparison={c} />
        </Well>
      )}
      <Beside comparison={c} />
    </>
  )
}

const dash = (i: number) => (i < 4 ? undefined : '7 3')
const [tall, left, foot] = [320, 64, 26]

/** The lines, each from its run's start on. */
function Laid({ comparison: c }: { comparison: RunComparison }) {
  const [box, size] = useSize<HTMLDivElement>()
  const wide = Math.max(280, size.width)
  const drawn = useMemo(() => lay(c, wide), [c, wide])
  if (!drawn) return <Soft>There are no readings of {c.called}.</Soft>
  return (
    <div ref={box}>
      <Key>
        {c.runs.map((r, i) => (
          <li key={r.id}>
            <svg width="22" height="8" aria-hidden="true">
              <path d="M0 4H22" stroke={`var(--line-${i + 1})`} strokeWidth="2.4" strokeDasharray={dash(i)} />
            </svg>{' '}
            {r.title}
          </li>
        ))}
      </Key>
      <Lines
        viewBox={`0 0 ${wide} ${tall}`}
        role="img"
        aria-label={`${c.called} of ${c.runs.map((r) => r.title).join(', ')}, from the start of each; the table tells their figures`}
      >
        {drawn.levels.map((l) => (
          <g key={l.y}>
            <path d={`M${left} ${l.y}H${wide}`} stroke="var(--line)" vectorEffect="non-scaling-stroke" />
            <text x={left - 6} y={l.y + 4} textAnchor="end">
              {l.text}
            </text>
          </g>
        ))}
        {drawn.times.map((t) => (
          <text key={t.x} x={t.x} y={tall - 6} textAnchor="middle">
            {t.text}
          </text>
        ))}
        {drawn.paths.map((d, i) => (
          <path
            key={c.runs[i]!.id}
            d={d}
            fill="none"
            stroke={`var(--line-${i + 1})`}
            strokeWidth="2"
            strokeDasharray={dash(i)}
            vectorEffect="non-scaling-stroke"
          />
        ))}
      </Lines>
    </div>
  )
}

function lay(c: RunComparison, wide: number) {
  const lines = c.runs.map((r) => r.line.map((m) => ({ at: m.at, value: seen(m.value, c.unit) })))
  const all = lines.flat()
  if (all.length < 2) return undefined
  const longest = Math.max(...all.map((m) => m.at), 1)
  let [low, high] = [Math.min(...all.map((m) => m.value)), Math.max(...all.map((m) => m.value))]
  const margin = (high - low || 1) * 0.06
  ;[low, high] = [low - margin, high + margin]
  const x = (at: number) => left + (at / longest) * (wide - left - 8)
  const y = (v: number) => 8 + ((high - v) / (high - low)) * (tall - foot - 8)
  const step = niceStep((high - low) / 5)
  const levels = []
  for (let v = Math.ceil(low / step) * step; v <= high; v += step)
    levels.push({ y: y(v), text: `${figure(Number(v.toPrecision(6)))} ${shown(c.unit)}` })
  const times = [0.25, 0.5, 0.75].map((t) => ({ x: x(t * longest), text: `after ${length(t * longest * 1000)}` }))
  return {
    paths: lines.map((l) => l.map((m, i) => `${i ? 'L' : 'M'}${x(m.at).toFixed(1)} ${y(m.value).toFixed(1)}`).join('')),
    levels,
    times,
  }
}

function niceStep(rough: number) {
  const ten = 10 ** Math.floor(Math.log10(rough))
  return ten * ([1, 2, 5, 10].find((n) => n * ten >= rough) ?? 10)
}

function Beside({ comparison: c }: { comparison: RunComparison }) {
  const zone = useSite().data?.zone ?? 'UTC'
  const rows: [string, (r: RunComparison['runs'][number]) => string][] = [
    [
      'Started',
      (r) => clock(r.started_at, zone, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }),
    ],
    ['Lasted', (r) => length(r.lasted * 1000)],
    ['Alarms', (r) => String(r.alarms)],
  ]
  const own = (r: RunComparison['runs'][number]) => r.courses.find((x) => x.signal === c.signal)
  for (const figureOf of ['lowest', 'mean', 'highest'] as const)
    rows.push([
      figureOf.charAt(0).toUpperCase() + figureOf.slice(1),
      (r) => (own(r)?.[figureOf] == null ? '–' : say(own(r)![figureOf]!, c.unit, own(r)!.step)),
    ])
  for (const words of [...new Set(c.runs.flatMap((r) => r.results.map((o) => o.words)))])
    rows.push([
      words,
      (r) => {
        const o = r.results.find((x) => x.words === words)
        if (!o) return '–'
        if (o.at) return `after ${length(Date.parse(o.at) - Date.parse(r.started_at))}`
        return o.kept == null ? o.state : `${o.state}, ${o.kept.toFixed(1)} %`
      },
    ])
  for (const total of [...new Set(c.runs.flatMap((r) => r.sums.map((s) => s.called)))])
    rows.push([
      total,
      (r) => {
        const s = r.sums.find((x) => x.called === total)
        return !s
          ? '–'
          : s.unit === 's'
            ? length(s.value * 1000)
            : `${figure(Number(s.value.toPrecision(4)))} ${s.unit}`
      },
    ])
  return (
    <Scroll tabIndex={0} role="region" aria-label="The runs beside each other" $above={4}>
      <Table>
        <thead>
          <tr>
            <td />
            {c.runs.map((r) => (
              <th scope="col" key={r.id}>
                <PlainLink href={`/runs/${r.id}`}>{r.title}</PlainLink>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(([name, cell]) => (
            <tr key={name}>
              <th scope="row">{name}</th>
              {c.runs.map((r) => (
                <Num key={r.id}>{cell(r)}</Num>
              ))}
            </tr>
          ))}
        </tbody>
      </Table>
    </Scroll>
  )
}
