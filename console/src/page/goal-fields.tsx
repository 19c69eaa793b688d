import type { Goal, Signal } from '../api/client'
import { pathOf } from '../api/client'
import { seen, shown, stored } from '../api/units'
import { figure, fullTitle, numberOf } from '../api/words'
import { QuietButton, Row } from '../ui/basics'
import { Fields, Select, Written } from '../ui/form'

export type GoalDraft = {
  signal: string
  kind: 'reaches' | 'falls to' | 'between'
  a: string
  b: string
  share: string
}

export const newGoal = (signals: Signal[]): GoalDraft => ({
  signal: signals[0] ? pathOf(signals[0]) : '',
  kind: 'reaches',
  a: '',
  b: '',
  share: '90',
})

/** The goals that drafts say, in the units in which signals are stored. */
export function goalsOf(drafts: GoalDraft[], signals: Signal[]): Goal[] {
  return drafts.map((d) => {
    const unit = signals.find((s) => pathOf(s) === d.signal)?.unit ?? ''
    const v = (text: string) => stored(numberOf('Goal', text), unit)
    return d.kind === 'between'
      ? { signal: d.signal, low: v(d.a), high: v(d.b), share: numberOf('Share', d.share) }
      : { signal: d.signal, reach: v(d.a), ...(d.kind === 'falls to' ? { falls: true } : {}) }
  })
}

export function draftsOf(goals: Goal[], signals: Signal[]): GoalDraft[] {
  return goals.map((g) => {
    const unit = signals.find((s) => pathOf(s) === g.signal)?.unit ?? ''
    const v = (n?: number | null) => (n == null ? '' : figure(seen(n, unit)))
    return g.reach != null
      ? { signal: g.signal, kind: g.falls ? 'falls to' : 'reaches', a: v(g.reach), b: '', share: '90' }
      : { signal: g.signal, kind: 'between', a: v(g.low), b: v(g.high), share: String(g.share ?? 100) }
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
            <Select label="Goal: of" value={d.signal} onChange={(signal) => set(i, { signal })} options={options} />
            <Select
              label="It"
              value={d.kind}
              onChange={(kind) => set(i, { kind: kind as GoalDraft['kind'] })}
              options={{ reaches: 'reaches', 'falls to': 'falls to', between: 'keeps between' }}
            />
            <Written label={unit ? `Value (${unit})` : 'Value'} value={d.a} onChange={(a) => set(i, { a })} />
            {d.kind === 'between' && (
              <>
                <Written label={unit ? `and (${unit})` : 'and'} value={d.b} onChange={(b) => set(i, { b })} />
                <Written label="for % of the time" value={d.share} onChange={(share) => set(i, { share })} />
              </>
            )}
            <QuietButton onPress={() => onChange(drafts.filter((_, k) => k !== i))}>Take out</QuietButton>
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
