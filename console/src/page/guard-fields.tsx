import { useId } from 'react'
import styled from 'styled-components'
import type { Signal } from '../api/client'
import {
  type Draft,
  hasTwo,
  isMeasured,
  type Kind,
  kindsFor,
  newRung,
  type RungDraft,
  type Severity,
} from '../api/guards'
import { figure, shown } from '../api/words'
import { QuietButton, Row } from '../ui/basics'
import { fieldLook } from '../ui/form'

const Line = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) 150px;
  gap: var(--gap-3);
  align-items: center;
  border-bottom: var(--hair);
  padding: 6px 0;
  input,
  select,
  textarea {
    ${fieldLook}
    min-width: 0;
    width: 100%;
    box-sizing: border-box;
  }
  input[type='checkbox'] {
    width: 24px;
    min-height: 24px;
    justify-self: end;
  }
  &[data-wide] {
    grid-template-columns: minmax(0, 1fr);
    gap: 2px;
  }
`
const Group = styled.fieldset`
  border: 0;
  margin: 0 0 var(--gap-4);
  padding: 0;
  legend {
    font-weight: 620;
    padding: 0;
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
  const set = (change: Partial<Draft>) => onChange({ ...draft, ...change })
  const first = draft.rungs[0]!
  const ladder =
    first.kind === 'above' || first.kind === 'at least' || first.kind === 'below' || first.kind === 'at most'
  const addRung = () => {
    const last = draft.rungs[draft.rungs.length - 1]!
    const further = (last.kind === 'below' || last.kind === 'at most' ? -1 : 1) * Math.max(1, Math.abs(last.a) * 0.2)
    const severity: Severity = last.severity === 'advisory' ? 'warning' : 'critical'
    set({
      rungs: [
        ...draft.rungs,
        { ...newRung(signal, Number((last.a + further).toPrecision(4))), kind: last.kind, severity },
      ],
    })
  }
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
      {ladder && draft.rungs.length < 4 && (
        <Row style={{ marginBottom: 'var(--gap-3)' }}>
          <QuietButton onPress={addRung}>Add a rung</QuietButton>
        </Row>
      )}
      <Text
        label="Tell"
        wide
        value={draft.tell}
        onChange={(tell) => set({ tell })}
        hint="rosters, contacts, e-mail addresses"
      />
      <Text label="What to do" wide rows={2} value={draft.advice} onChange={(advice) => set({ advice })} />
      <details open={draft.armed !== '' || draft.suppressed !== '' || draft.latch || draft.leastGap !== '0s'}>
        <summary>When it looks, and what it is called</summary>
        <Text
          label="Armed"
          wide
          value={draft.armed}
          onChange={(armed) => set({ armed })}
          hint="always; or mon-fri 18:00-07:00, sat-sun"
        />
        <Text
          label="Not while"
          wide
          value={draft.suppressed}
          onChange={(suppressed) => set({ suppressed })}
          hint="shed/lamp is off; or alarm GUARD"
        />
        <Text
          label="At least so long between two alarms that are told"
          wide
          value={draft.leastGap}
          onChange={(leastGap) => set({ leastGap })}
          hint="10m"
        />
        <Check label="Stays until somebody resets it" value={draft.latch} onChange={(latch) => set({ latch })} />
        <Text
          label="Name"
          wide
          value={draft.name}
          onChange={(name) => set({ name })}
          hint={fixedName ?? 'made from the signal'}
        />
      </details>
    </>
  )
}

type RungProps = {
  rung: RungDraft
  signal: Signal
  title: string
  onChange: (change: Partial<RungDraft>) => void
  onRemove?: () => void
}

function RungFields({ rung: r, signal, title, onChange, onRemove }: RungProps) {
  const unit = shown(signal.unit)
  const kinds = Object.fromEntries(kindsFor(signal).map((k) => [k, k]))
  const band = isMeasured(r.kind)
  return (
    <Group>
      <legend>{title}</legend>
      <Option
        label="Test"
        value={r.kind}
        options={kinds}
        onChange={(kind) => onChange({ kind: kind as Kind, ...wordFor(kind as Kind, signal) })}
      />
      {band && (
        <Value
          label={hasTwo(r.kind) ? `From (${unit})` : `Limit (${unit})`}
          value={r.a}
          onChange={(a) => onChange({ a })}
        />
      )}
      {hasTwo(r.kind) && <Value label={`To (${unit})`} value={r.b} onChange={(b) => onChange({ b })} />}
      {(r.kind === 'is' || r.kind === 'is not') &&
        (signal.kind === 'switch' ? (
          <Option
            label="State"
            value={r.word === 'off' ? 'off' : 'on'}
            options={{ on: 'on', off: 'off' }}
            onChange={(word) => onChange({ word })}
          />
        ) : (
          <Text label="Word" value={r.word} onChange={(word) => onChange({ word })} />
        ))}
      {r.kind === 'silent for' && (
        <Text label="How long" value={r.word} onChange={(word) => onChange({ word })} hint="10m" />
      )}
      {band && (
        <Value
          label={`Deadband (${unit})`}
          value={r.deadband}
          least={0}
          onChange={(deadband) => onChange({ deadband })}
        />
      )}
      <Text label="After" value={r.on} onChange={(on) => onChange({ on })} hint="0s" />
      <Text label="Quiet again after" value={r.off} onChange={(off) => onChange({ off })} hint="0s" />
      <Option
        label="How bad"
        value={r.severity}
        options={{ advisory: 'advisory', warning: 'warning', critical: 'critical' }}
        onChange={(severity) => onChange({ severity: severity as Severity })}
      />
      {onRemove && (
        <Row style={{ marginTop: 'var(--gap-2)' }}>
          <QuietButton onPress={onRemove}>Take this rung out</QuietButton>
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

type FieldProps<T> = {
  label: string
  value: T
  onChange: (value: T) => void
  hint?: string
  wide?: boolean
  rows?: number
}

function Text({ label, value, onChange, hint, wide, rows }: FieldProps<string>) {
  const id = useId()
  const field = {
    id,
    value,
    placeholder: hint,
    onChange: (e: { target: { value: string } }) => onChange(e.target.value),
  }
  return (
    <Line data-wide={wide || undefined}>
      <label htmlFor={id}>{label}</label>
      {rows ? <textarea rows={rows} {...field} /> : <input autoComplete="off" {...field} />}
    </Line>
  )
}

function Value({ label, value, onChange, least }: FieldProps<number> & { least?: number }) {
  const id = useId()
  return (
    <Line>
      <label htmlFor={id}>{label}</label>
      <input
        id={id}
        type="number"
        step="any"
        min={least}
        value={figure(value)}
        onChange={(e) => e.target.value !== '' && onChange(Number(e.target.value))}
      />
    </Line>
  )
}

function Option({ label, value, onChange, options }: FieldProps<string> & { options: Record<string, string> }) {
  const id = useId()
  return (
    <Line>
      <label htmlFor={id}>{label}</label>
      <select id={id} value={value} onChange={(e) => onChange(e.target.value)}>
        {Object.entries(options).map(([v, text]) => (
          <option key={v} value={v}>
            {text}
          </option>
        ))}
      </select>
    </Line>
  )
}

function Check({ label, value, onChange }: FieldProps<boolean>) {
  const id = useId()
  return (
    <Line>
      <label htmlFor={id}>{label}</label>
      <input id={id} type="checkbox" checked={value} onChange={(e) => onChange(e.target.checked)} />
    </Line>
  )
}
