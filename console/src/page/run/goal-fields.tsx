import type { Goal, Signal } from '../../api/client'
import { pathOf } from '../../api/client'
import { seen, shown, stored } from '../../api/units'
import { fullTitle } from '../../api/words'
import { QuietButton, Row } from '../../ui/basics'
import { Fields, Select } from '../../ui/form'
import { NumberField } from '../../ui/number'

export type GoalDraft = {
  signal: string
  kind: 'reaches' | 'falls to' | 'between'
  a: number | undefined
  b: number | undefined
  share: number | undefined
}

export const newGoal = (signals: Signal[]): GoalDraft => ({
  signal: signals[0] ? pathOf(signals[0]) : '',
  kind: 'reaches',
  a: undefined,
  b: undefined,
  share: 90,
})

/** The goals that drafts say, in the units in which signals are stored. */
export function goalsOf(drafts: GoalDraft[], signals: Signal[]): Goal[] {
  return drafts.map((d) => {
    const unit = signals.find((s) => pathOf(s) === d.signal)?.unit ?? ''
    const v = (n = NaN) => stored(n, unit)
    return d.kind === 'between'
      ? { signal: d.signal, low: v(d.a), high: v(d.b), share: d.share }
      : { signal: d.signal, reach: v(d.a), ...(d.kind === 'falls to' ? { falls: true } : {}) }
  })
}

export function draftsOf(goals: Goal[], signals: Signal[]): GoalDraft[] {
  return goals.map((g) => {
    const unit = signals.find((s) => pathOf(s) === g.signal)?.unit ?? ''
    const v = (n?: number | null) => (n == null ? undefined : seen(n, unit))
    return g.reach != null
      ? { signal: g.signal, kind: g.falls ? 'falls to' : 'reaches', a: v(g.reach), b: undefined, share: 90 }
      : { signal: g.signal, kind: 'between', a: v(g.low), b: v(g.high), share: g.share ?? 100 }
  })
}

type Props = { drafts: GoalDraft[]; signals: Signal[]; onChange: (drafts: GoalDraft[]) => void }

/** What a run is to come to. */
export function GoalFields({ drafts, signals, onChange }: Props) {
  const set = (i: number, some: Partial<GoalDraft>) => onChange(drafts.map((d, k) => (k === i ? { ...d, ...some } : d)))
  const options = Object.fromEntries(signals.map((s) => [pathOf(s), fullTitle(s)]))
  return (
    <div>
      {drafts.map((d, i) => {
        const unit = shown(signals.find((s) => pathOf(s) === d.signal)?.unit ?? '')
        return (
          <Fields key={i} role="group" aria-label={`Goal ${i + 1}`}>
            <Select label="Signal" value={d.signal} onChange={(signal) => set(i, { signal })} options={options} />
            <Select
              label="Goal"
              value={d.kind}
              onChange={(kind) => set(i, { kind: kind as GoalDraft['kind'] })}
              options={{ reaches: 'reaches', 'falls to': 'falls to', between: 'keeps between' }}
            />
            <NumberField
              label={d.kind === 'between' ? 'From' : 'Value'}
              unit={unit}
              value={d.a}
              onChange={(a) => set(i, { a })}
            />
            {d.kind === 'between' && (
              <>
                <NumberField label="To" unit={unit} value={d.b} onChange={(b) => set(i, { b })} />
                <NumberField
                  label="Share of the time"
                  unit="%"
                  least={0}
                  most={100}
                  value={d.share}
                  onChange={(share) => set(i, { share })}
                />
              </>
            )}
            <QuietButton onPress={() => onChange(drafts.filter((_, k) => k !== i))}>Remove</QuietButton>
          </Fields>
        )
      })}
      {signals.length > 0 && (
        <Row>
          <QuietButton onPress={() => onChange([...drafts, newGoal(signals)])}>
            {drafts.length ? 'Another goal' : 'Set a goal'}
          </QuietButton>
        </Row>
      )}
    </div>
  )
}
