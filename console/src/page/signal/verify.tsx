import { api, type Signal, take } from '../../api/client'
import { useFormDraft } from '../../api/drafts'
import { seenUnit } from '../../api/units'
import { amount, say, shown } from '../../api/words'
import { Prose, Subheading } from '../../ui/basics'
import { Fields, Form, Send, TextInput, useSave } from '../../ui/form'
import { NumberField } from '../../ui/number'

/** A check against a reference, and how often there is to be one. */
export function Verify({ signal, every }: { signal: Signal; every: string }) {
  const path = { device: signal.device, signal: signal.name }
  const written = useFormDraft(`verification ${signal.device}/${signal.name}`)
  const planned = useFormDraft(`verification plan ${signal.device}/${signal.name}`)
  const verify = useSave(
    (f) =>
      take(
        api.POST('/api/v1/signals/{device}/{signal}/verifications', {
          params: { path },
          body: {
            reference: Number(f.reference), // as NumberField writes it
            shown: f.shown ? Number(f.shown) : undefined,
            tolerance: f.tolerance ?? '',
            unit: seenUnit(signal.unit),
            note: f.note,
          },
        }),
      ),
    written.unsaved,
  )
  const plan = useSave(
    (f) =>
      take(
        api.PUT('/api/v1/signals/{device}/{signal}/verification-plan', {
          params: { path },
          body: { every: f.every ?? '' },
        }),
      ),
    planned.unsaved,
  )
  const v = verify.data
  const unit = shown(signal.unit)
  const behind = unit ? ` (${unit})` : ''
  return (
    <>
      <Subheading>Verify</Subheading>
      <Form save={verify} draft={written} width="full">
        <Fields>
          <NumberField label="Reference" unit={unit} name="reference" step={signal.step || undefined} />
          <TextInput label="Allowed error" name="tolerance" autoComplete="off" hint={`like 2% or 0.5${behind}`} />
          <NumberField
            label="Shown"
            unit={unit}
            name="shown"
            step={signal.step || undefined}
            optional
            hint="its newest value when empty"
          />
          <TextInput label="Note" name="note" optional />
        </Fields>
        <Send send="Verify" />
      </Form>
      <div role="status">
        {v && (
          <Prose data-verified={v.passed ? 'pass' : 'fail'}>
            <b>{v.passed ? 'Pass' : 'Fail'}:</b> it showed {say(v.shown, v.unit, signal.step)} where the reference said{' '}
            {amount(v.reference, v.unit)}.
          </Prose>
        )}
      </div>
      <Form save={plan} draft={planned}>
        <TextInput
          key={every}
          label="Verify every"
          name="every"
          optional
          defaultValue={every}
          hint="6 months, 90 days, 1 year; empty for never. When it is due, an advisory reminds."
        />
        <Send send="Save" />
      </Form>
    </>
  )
}
