import { Details } from '../../ui/disclosure'
import { Check } from '../../ui/picks'
import styled from 'styled-components'
import type { Signal } from '../../api/client'
import {
  type Draft,
  hasTwo,
  isMeasured,
  type Kind,
  kindsFor,
  newRung,
  type RungDraft,
  type Severity,
} from '../../api/guard'
import { shown } from '../../api/words'
import { QuietButton, Row } from '../../ui/basics'
import { Select, useFormWay, Written } from '../../ui/form'
import { NumberField } from '../../ui/number'

const Group = styled.fieldset`
  border: 0;
  margin: 0 0 var(--gap-4);
  padding: 0;
  min-width: 0;
  legend {
    font-weight: 620;
    padding: 0 0 var(--gap-2);
  }
`
/** Fields of a narrow column, two beside each other where they are short. */
const Column = styled.div`
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: var(--gap-2) var(--gap-3);
  align-items: start;
  > * {
    grid-column: 1 / -1;
    min-width: 0;
  }
  > [data-number],
  > [data-short] {
    grid-column: auto;
  }
  input:not([type='checkbox']),
  select,
  textarea {
    width: 100%;
    min-width: 0;
    box-sizing: border-box;
  }
`
type Props = {
  draft: Draft
  signal: Signal
  fixedName?: string
  onChange: (d: Draft) => void
  onRung: (i: number, change: Partial<RungDraft>) => void
}

/** All that a guard says, beside the chart. */
export function GuardFields({ draft, signal, fixedName, onChange, onRung }: Props) {
  const { reads } = useFormWay()
  const set = (change: Partial<Draft>) => onChange({ ...draft, ...change })
  const first = draft.rungs[0]!
  const ladder =
    first.kind === 'above' || first.kind === 'at least' || first.kind === 'below' || first.kind === 'at most'
  return (
    <>
      {draft.rungs.map((r, i) => (
        <RungFields
          key={i}
          rung={r}
          signal={signal}
          title={draft.rungs.length > 1 ? `Rung ${i + 1}` : 'It speaks when the value is'}
          onChange={(change) => onRung(i, change)}
          onRemove={draft.rungs.length > 1 ? () => set({ rungs: draft.rungs.filter((_, j) => j !== i) }) : undefined}
        />
      ))}
      {ladder && draft.rungs.length < 4 && !reads && (
        <Row>
          <QuietButton onPress={() => set({ rungs: [...draft.rungs, further(draft.rungs, signal)] })}>
            Add a rung
          </QuietButton>
        </Row>
      )}
      <Column>
        <Written
          label="Tell"
          value={draft.tell}
          onChange={(tell) => set({ tell })}
          hint="rosters, contacts, e-mail addresses"
        />
        <Written
          label="Advice"
          rows={2}
          value={draft.advice}
          onChange={(advice) => set({ advice })}
          hint="what to do"
        />
      </Column>
      <Details
        title="When it looks, and its name"
        startOpen={reads || draft.armed !== '' || draft.suppressed !== '' || draft.latch || draft.leastGap !== '0s'}
      >
        <Column>
          <Written
            label="Armed hours"
            value={draft.armed}
            onChange={(armed) => set({ armed })}
            hint="always when empty; or mon-fri 18:00-07:00, sat-sun"
          />
          <Written
            label="Suppressed while"
            value={draft.suppressed}
            onChange={(suppressed) => set({ suppressed })}
            hint="like shed/lamp is off, or alarm GUARD"
          />
          <Written
            label="Least gap"
            value={draft.leastGap}
            onChange={(leastGap) => set({ leastGap })}
            hint="between two of its alarms that are told, like 10m"
          />
          <Check
            label="Latched: stays until somebody resets it"
            value={draft.latch}
            onChange={(latch) => set({ latch })}
          />
          <Written
            label="Name"
            value={draft.name}
            onChange={(name) => set({ name })}
            hint={fixedName ? `${fixedName} when empty` : 'made from the signal when empty'}
          />
        </Column>
      </Details>
    </>
  )
}

/** Another rung, further out than the last one. */
function further(rungs: RungDraft[], signal: Signal): RungDraft {
  const last = rungs[rungs.length - 1]!
  const limit = last.a ?? 0
  const by = (last.kind === 'below' || last.kind === 'at most' ? -1 : 1) * Math.max(1, Math.abs(limit) * 0.2)
  const severity: Severity = last.severity === 'advisory' ? 'warning' : 'critical'
  return { ...newRung(signal, Number((limit + by).toPrecision(4))), kind: last.kind, severity }
}

type RungProps = {
  rung: RungDraft
  signal: Signal
  title: string
  onChange: (change: Partial<RungDraft>) => void
  onRemove?: () => void
}

function RungFields({ rung: r, signal, title, onChange, onRemove }: RungProps) {
  const { reads } = useFormWay()
  const unit = shown(signal.unit)
  const kinds = Object.fromEntries(kindsFor(signal).map((k) => [k, k]))
  const band = isMeasured(r.kind)
  const step = signal.step || undefined
  return (
    <Group>
      <legend>{title}</legend>
      <Column>
        <Select
          label="Test"
          value={r.kind}
          options={kinds}
          onChange={(kind) => onChange({ kind: kind as Kind, ...wordFor(kind as Kind, signal) })}
        />
        {band && (
          <NumberField
            label={hasTwo(r.kind) ? 'From' : 'Limit'}
            unit={unit}
            step={step}
            value={r.a}
            onChange={(a) => onChange({ a })}
          />
        )}
        {hasTwo(r.kind) && (
          <NumberField label="To" unit={unit} step={step} value={r.b} onChange={(b) => onChange({ b })} />
        )}
        {(r.kind === 'is' || r.kind === 'is not') &&
          (signal.kind === 'switch' ? (
            <Select
              label="State"
              value={r.word === 'off' ? 'off' : 'on'}
              options={{ on: 'on', off: 'off' }}
              onChange={(word) => onChange({ word })}
            />
          ) : (
            <Written label="Word" value={r.word} onChange={(word) => onChange({ word })} />
          ))}
        {r.kind === 'silent for' && (
          <Written label="Silent for" value={r.word} onChange={(word) => onChange({ word })} hint="like 10m" />
        )}
        {band && (
          <NumberField
            label="Deadband"
            unit={unit}
            step={step}
            value={r.deadband}
            least={0}
            optional
            onChange={(deadband) => onChange({ deadband })}
          />
        )}
        <div data-short>
          <Written label="On-delay" value={r.on} onChange={(on) => onChange({ on })} hint="like 30s" />
        </div>
        <div data-short>
          <Written label="Off-delay" value={r.off} onChange={(off) => onChange({ off })} hint="like 5m" />
        </div>
        <Select
          label="Severity"
          value={r.severity}
          options={{ advisory: 'advisory', warning: 'warning', critical: 'critical' }}
          onChange={(severity) => onChange({ severity: severity as Severity })}
        />
      </Column>
      {onRemove && !reads && (
        <Row $above={2}>
          <QuietButton onPress={onRemove}>Remove rung</QuietButton>
        </Row>
      )}
    </Group>
  )
}

/** What a test that takes a word begins with. */
function wordFor(kind: Kind, signal: Signal): Partial<RungDraft> {
  if (kind === 'silent for') return { word: '10m' }
  if (kind === 'is' || kind === 'is not') return { word: signal.kind === 'text' ? (signal.text ?? '') : 'on' }
  return {}
}
