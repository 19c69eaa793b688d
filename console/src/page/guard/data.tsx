import { Details } from '../../ui/disclosure'
import { useState } from 'react'
import type { Shape as ShapeOf, Signal } from '../../api/client'
import { type Kind, useLimits } from '../../api/guard'
import { seen, seenDifference } from '../../api/units'
import { figure, shown } from '../../api/words'
import { Columns, Failure, Num, Prose, QuietButton, Scroll, Soft, Table } from '../../ui/basics'

const round = (v: number) => figure(Number(v.toPrecision(4)))

/** Limits that suggest themselves from what the signal did in the last weeks. */
export function FromData({
  signal,
  take,
  startOpen,
}: {
  signal: Signal
  take?: (when: { kind: Kind; a: number }, deadband: number) => void // none: they are only looked at
  startOpen: boolean
}) {
  const [open, setOpen] = useState(startOpen)
  const limits = useLimits(signal.device, signal.name, open)
  if (signal.kind !== 'number') return null
  return (
    <Details title="What it did in the last four weeks" startOpen={startOpen} onOpen={setOpen}>
      {limits.error && <Failure error={limits.error} />}
      {open && !limits.data && !limits.error && <Soft>Looking …</Soft>}
      {limits.data && <Found shape={limits.data} signal={signal} take={take} />}
    </Details>
  )
}

function Found({
  shape,
  signal,
  take,
}: {
  shape: ShapeOf
  signal: Signal
  take: Parameters<typeof FromData>[0]['take']
}) {
  const unit = shown(signal.unit)
  const eye = (v: number) => seen(v, signal.unit)
  if (shape.readings === 0) return <Prose>There are no usable readings yet.</Prose>
  const wanted = shape.percentiles.filter((p) => [0, 1, 50, 99, 100].includes(p.percent))
  return (
    <>
      <Prose>
        {wanted
          .map((p) => {
            const name = { 0: 'lowest', 50: 'middle', 100: 'highest' }[p.percent] ?? `${p.percent} % lie under`
            return `${name} ${round(eye(p.value))}`
          })
          .join(' · ')}{' '}
        {unit}
      </Prose>
      <ul>
        {shape.limits.map((l) => {
          const [, kind = 'above', text = '0'] = /^(\D+) (.*)$/.exec(l.when) ?? []
          const limit = eye(Number(text))
          return (
            <li key={l.when}>
              {kind} {round(limit)} {unit} would have spoken{' '}
              {l.would.alarms === 0 ? 'not once' : `${l.would.per_week.toFixed(1)} times a week`}
              {l.marked && l.marked.real_of > 0 && `, and met ${l.marked.real} of ${l.marked.real_of} that were real`}
              {l.marked && l.marked.false_of > 0 && `, ${l.marked.false} of ${l.marked.false_of} false ones`}{' '}
              {take && (
                <QuietButton
                  aria-label={`Use this limit: ${kind} ${round(limit)}`}
                  onPress={() =>
                    take(
                      { kind: kind as Kind, a: Number(limit.toPrecision(6)) },
                      Number(seenDifference(l.deadband, signal.unit).toPrecision(4)),
                    )
                  }
                >
                  Use this limit
                </QuietButton>
              )}
            </li>
          )
        })}
      </ul>
      <Details title="By hour of the day">
        <Scroll>
          <Table>
            <Columns names={['Hour', '5th percentile', 'Median', `95th percentile (${unit})`]} />
            <tbody>
              {shape.hours.map((h) => (
                <tr key={h.hour}>
                  <td>{String(h.hour).padStart(2, '0')}</td>
                  <Num>{round(eye(h.low))}</Num>
                  <Num>{round(eye(h.median))}</Num>
                  <Num>{round(eye(h.high))}</Num>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      </Details>
    </>
  )
}
