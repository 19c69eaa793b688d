import { useState } from 'react'
import { readNumber, stepBy, writeNumber } from '../api/numbers'
import { Below, Field, Input, Label, Read, useFormWay } from './form'

type Props = {
  label: string
  unit?: string // as it is seen
  step?: number // what an arrow key adds
  least?: number
  most?: number
  whole?: boolean
  hint?: string
  optional?: boolean
} & (Held | Sent)

/** Kept by its page; nothing where it is empty, NaN where no number is written. */
type Held = { value: number | undefined; onChange: (value: number | undefined) => void; name?: undefined }
/** Sent with its form under a name, with a point as decimal sign. */
type Sent = { name: string; defaultValue?: number | null; value?: undefined; onChange?: undefined }

/** A number as it is written: it is never rewritten while somebody types, and no digit of it is lost. */
export function NumberField(p: Props) {
  const { reads, draft } = useFormWay()
  const label = p.unit ? `${p.label} (${p.unit})` : p.label
  if (!p.onChange) {
    const kept = draft?.values[p.name]
    const begins = kept === undefined ? writeNumber(p.defaultValue) : kept
    if (reads) return <Read label={label} value={begins} />
    return <Entry key={draft?.round} {...p} label={label} begins={begins} />
  }
  if (reads) return <Read label={label} value={writeNumber(p.value)} />
  return <Entry {...p} label={label} begins={writeNumber(p.value)} />
}

function Entry({ label, step = 1, least, most, whole, hint, optional, begins, ...p }: Props & { begins: string }) {
  const [text, setText] = useState(begins)
  const judge = (typed: string) => {
    const said = readNumber(typed)
    if (said.value === undefined) return said
    if (whole && !Number.isInteger(said.value)) return { wrong: 'A whole number.' }
    if (least !== undefined && said.value < least) return { wrong: `${writeNumber(least)} at least.` }
    if (most !== undefined && said.value > most) return { wrong: `${writeNumber(most)} at most.` }
    return said
  }
  const meaning = (typed: string) => {
    const said = judge(typed)
    return said.wrong ? NaN : said.value
  }
  const said = judge(text)
  // Another value that comes from outside is written; what was typed here stays as it was typed.
  const given = p.onChange ? (p.value ?? undefined) : undefined
  const [seen, setSeen] = useState(given)
  if (!Object.is(given, seen)) {
    setSeen(given)
    if (!Object.is(given, meaning(text))) setText(writeNumber(given))
  }
  const write = (typed: string) => {
    setText(typed)
    p.onChange?.(meaning(typed))
  }
  const move = (e: React.KeyboardEvent) => {
    const by = { ArrowUp: step, ArrowDown: -step }[e.key]
    if (!by || said.value === undefined) return
    e.preventDefault()
    const next = Math.min(most ?? Infinity, Math.max(least ?? -Infinity, stepBy(said.value, by)))
    write(writeNumber(next))
  }
  return (
    <Field
      value={text}
      onChange={write}
      isRequired={!optional}
      validate={() => said.wrong}
      autoComplete="off"
      data-number
    >
      <Label>{label}</Label>
      <Input inputMode={whole ? 'numeric' : 'decimal'} onKeyDown={move} />
      {p.name && <input type="hidden" name={p.name} value={said.wrong ? text : (said.value ?? '')} />}
      <Below hint={hint} />
    </Field>
  )
}
