import {
  FieldError,
  Form as AriaForm,
  Input as AriaInput,
  Label as AriaLabel,
  Text as AriaText,
  TextArea as AriaTextArea,
  TextField,
} from 'react-aria-components'
import styled, { css } from 'styled-components'

export const Form = styled(AriaForm)`
  display: grid;
  gap: var(--gap-4);
  max-width: 360px;
`
const Field = styled(TextField)`
  display: grid;
  gap: var(--gap-1);
`
const Label = styled(AriaLabel)`
  font-weight: 600;
`
/** How what is typed or chosen looks. */
export const fieldLook = css`
  font: inherit;
  color: inherit;
  background: var(--surface);
  border: 1px solid var(--ink-soft);
  border-radius: var(--radius);
  padding: 8px 10px;
  min-height: 40px;
`
const Input = styled(AriaInput)`
  ${fieldLook}
`
const Area = styled(AriaTextArea)`
  ${fieldLook}
  resize: vertical;
`
const Hint = styled(AriaText)`
  color: var(--ink-soft);
  font-size: var(--step--1);
`
type Props = {
  label: string
  name: string
  type?: string
  autoComplete?: string
  hint?: string
  optional?: boolean
  defaultValue?: string
  rows?: number // for text of several lines
}

export const TextInput = ({ label, hint, optional, rows, ...field }: Props) => (
  <Field {...field} isRequired={!optional}>
    <Label>{label}</Label>
    {rows ? <Area rows={rows} /> : <Input />}
    {hint && <Hint slot="description">{hint}</Hint>}
    <FieldError />
  </Field>
)

const Picker = styled.label`
  display: grid;
  gap: var(--gap-1);
  font-weight: 600;
  select {
    ${fieldLook}
    font-weight: 400;
  }
`
type PickProps = {
  label: string
  name: string
  none: string
  options: { value: string; text: string }[]
  defaultValue?: string
}

/** One of a list, or none. */
export const Pick = ({ label, name, none, options, defaultValue }: PickProps) => (
  <Picker>
    {label}
    <select name={name} defaultValue={defaultValue}>
      <option value="">{none}</option>
      {options.map((o) => (
        <option key={o.value} value={o.value}>
          {o.text}
        </option>
      ))}
    </select>
  </Picker>
)

/** What a form's fields say, those that are not empty. */
export const fieldsOf = (form: HTMLFormElement) =>
  Object.fromEntries([...new FormData(form)].filter(([, v]) => v !== '').map(([k, v]) => [k, String(v).trim()]))
const Centre = styled.div`
  min-height: 100vh;
  display: grid;
  place-content: center;
  padding: var(--gap-4);
  gap: var(--gap-4);
`
export const CentrePage = ({ children }: { children: React.ReactNode }) => <Centre as="main">{children}</Centre>

/** Fields beside each other, below each other where there is no room. */
export const Fields = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: var(--gap-4);
  align-items: start;
  margin-bottom: var(--gap-4);
  /* Beside the field itself, not beside its label. */
  > button,
  > span {
    margin-top: calc(1.5em + var(--gap-1) + 2px);
  }
  > span {
    line-height: 40px;
  }
`
type SelectProps = {
  label: string
  value: string
  onChange: (value: string) => void
  options: Record<string, string> // what they read, by value
  name?: string // says it, where no label stands
}

/** One of a list, in the order of its options' words where these are numbers. */
export const Select = ({ label, value, onChange, options, name }: SelectProps) => (
  <Picker>
    {label}
    <select value={value} aria-label={name} onChange={(e) => onChange(e.target.value)}>
      {Object.entries(options).map(([v, text]) => (
        <option key={v} value={v}>
          {text}
        </option>
      ))}
    </select>
  </Picker>
)

type WrittenProps = {
  label: string
  value: string
  onChange: (value: string) => void
  hint?: string
  type?: string
  rows?: number
}

/** Text that is kept by its page as it is written. */
export const Written = ({ label, value, onChange, hint, type, rows }: WrittenProps) => (
  <Field value={value} onChange={onChange} type={type} autoComplete="off">
    <Label>{label}</Label>
    {rows ? <Area rows={rows} /> : <Input />}
    {hint && <Hint slot="description">{hint}</Hint>}
  </Field>
)
