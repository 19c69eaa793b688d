import { useState } from 'react'
import { listOf } from '../api/people'
import { Below, Field, Input, Label, Read, useFormWay } from './form'

type Props = {
  label: string
  value: string[]
  onChange: (value: string[]) => void
  hint?: string
}

/** Several words, names or addresses, parted by commas or spaces. */
export function ListField({ label, value, onChange, hint }: Props) {
  const { reads } = useFormWay()
  const given = value.join(', ')
  const [text, setText] = useState(given)
  const [seen, setSeen] = useState(given)
  // Another list that comes from outside is written; what was typed here stays as it was typed.
  if (given !== seen) {
    setSeen(given)
    if (given !== listOf(text).join(', ')) setText(given)
  }
  if (reads) return <Read label={label} value={given} />
  return (
    <Field
      value={text}
      onChange={(typed) => {
        setText(typed)
        onChange(listOf(typed))
      }}
      autoComplete="off"
    >
      <Label>{label}</Label>
      <Input />
      {hint && <Below hint={hint} />}
    </Field>
  )
}
