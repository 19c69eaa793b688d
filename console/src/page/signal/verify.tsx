import { type FormEvent } from 'react'
import { api, type Signal, take } from '../../api/client'
import { type FormDraft, useFormDraft } from '../../api/drafts'
import { useTrustAct } from '../../api/queries'
import { seenUnit } from '../../api/units'
import { amount, say, shown } from '../../api/words'
import { Button, Failure, Prose, Row, Subheading } from '../../ui/basics'
import { Fields, fieldsOf, Form, TextInput } from '../../ui/form'
import { NumberField } from '../../ui/number'

/** A check against a reference, and how often there is to be one. */
export function Verify({ signal, every }: { signal: Signal; every: string }) {
  const path = { device: signal.device, signal: signal.name }
  const verify = useTrustAct((f: Record<string, string>) =>
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
  )
  const plan = useTrustAct((f: Record<string, string>) =>
    take(
      api.PUT('/api/v1/signals/{device}/{signal}/verification-plan', {
        params: { path },
        body: { every: f.every ?? '' },
      }),
    ),
  )
  const written = useFormDraft(`verification ${signal.device}/${signal.name}`)
  const planned = useFormDraft(`verification plan ${signal.device}/${signal.name}`)
  const submit = (act: typeof verify | typeof plan, draft: FormDraft) => (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    act.mutate(fieldsOf(e.currentTarget), { onSuccess: draft.unsaved.done })
  }
  const v = verify.data
  const unit = shown(signal.unit)
  const behind = unit ? ` (${unit})` : ''
  return (
    <>
      <Subheading>Verify</Subheading>
      <Form onSubmit={submit(verify, written)} draft={written} style={{ maxWidth: 'none' }}>
        <Fields style={{ marginBottom: 0 }}>
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
        <Row>
          <Button type="submit" isDisabled={verify.isPending}>
            Verify
          </Button>
        </Row>
      </Form>
      {verify.error && <Failure error={verify.error} />}
      <div role="status">
        {v && (
          <Prose data-verified={v.passed ? 'pass' : 'fail'}>
            <b>{v.passed ? 'Pass' : 'Fail'}:</b> it showed {say(v.shown, v.unit, signal.step)} where the reference said{' '}
            {amount(v.reference, v.unit)}.
          </Prose>
        )}
      </div>
      <Form onSubmit={submit(plan, planned)} draft={planned}>
        <TextInput
          key={every}
          label="Verify every"
          name="every"
          optional
          defaultValue={every}
          hint="6 months, 90 days, 1 year; empty for never. When it is due, an advisory reminds."
        />
        <Row>
          <Button type="submit" isDisabled={plan.isPending}>
            Save
          </Button>
        </Row>
      </Form>
      {plan.error && <Failure error={plan.error} />}
    </>
  )
}
