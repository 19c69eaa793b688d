import styled from 'styled-components'
import type { Output, Tried } from '../../api/client'
import { stateWords } from '../../api/output'
import { useSite } from '../../api/site'
import { clock, length, spoken } from '../../api/words'
import { Columns, Num, Prose, Scroll, Subheading, Table } from '../../ui/basics'

const Strip = styled.svg`
  display: block;
  width: 100%;
  height: 34px;
  background: var(--sunk);
  border-radius: var(--radius);
`
const Ends = styled.div`
  display: flex;
  justify-content: space-between;
  color: var(--ink-soft);
  font-size: var(--step--1);
`
const moment: Intl.DateTimeFormatOptions = {
  day: 'numeric',
  month: 'short',
  hour: '2-digit',
  minute: '2-digit',
  second: '2-digit',
}
const shownAtMost = 50

/** When an output would have run, for how long, how often. */
export function Found({
  output: o,
  tried,
  from,
  until,
}: {
  output: Output
  tried: Tried
  from: number
  until: number
}) {
  const zone = useSite().data?.zone ?? 'UTC'
  const runs = o.kind === 'switch' || o.kind === 'level'
  const end = (s: Tried['stretches'][number]) => (s.until ? Date.parse(s.until) : until)
  const place = (at: number) => ((at - from) / (until - from)) * 1000
  const fill = (s: Tried['stretches'][number]) =>
    o.kind === 'colour' ? s.value : s.blind ? 'url(#blind)' : 'var(--line-1)'
  const days = (until - from) / 86_400_000
  const times = (n: number) => (n === 1 ? 'once' : `${n} times`)
  const words = runs
    ? `It would have started ${times(tried.starts)} in ${Math.round(days)} days` +
      (tried.starts
        ? `, ${times(tried.busiest_hour)} in the busiest hour, and run for ${spoken(tried.running)}, ${spoken(tried.longest)} at the longest.`
        : '.')
    : `It would have changed ${times(tried.stretches.length)} in ${Math.round(days)} days.`
  const shown = tried.stretches.slice(-shownAtMost)
  return (
    <section aria-label="When it would have run">
      <Subheading>{words}</Subheading>
      {tried.blind > 0 && (
        <Prose>
          For {spoken(tried.blind)} it would have been in the safe state, {stateWords(o, o.safe)}, since what drives it
          was silent, faulty or warming.
        </Prose>
      )}
      <Strip viewBox="0 0 1000 34" preserveAspectRatio="none" role="img" aria-label={words}>
        <pattern id="blind" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="3" height="6" fill="var(--silent)" />
        </pattern>
        {tried.stretches.map((s) => (
          <rect
            key={s.from}
            x={place(Date.parse(s.from))}
            y={4}
            width={Math.max(1.5, place(end(s)) - place(Date.parse(s.from)))}
            height={26}
            fill={fill(s)}
          />
        ))}
      </Strip>
      <Ends>
        <span>{clock(from, zone, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })}</span>
        <span>now</span>
      </Ends>
      {shown.length > 0 && (
        <Scroll tabIndex={0} role="region" aria-label="Stretches, newest last" $above={4}>
          <Table>
            <Columns names={['From', 'Until', 'Length', 'State', 'Why']} />
            <tbody>
              {shown.map((s) => (
                <tr key={s.from}>
                  <Num>{clock(s.from, zone, moment)}</Num>
                  <Num>{s.until ? clock(s.until, zone, moment) : 'still'}</Num>
                  <Num>{length(end(s) - Date.parse(s.from))}</Num>
                  <td>{stateWords(o, s.value)}</td>
                  <td>{s.why}</td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
    </section>
  )
}
