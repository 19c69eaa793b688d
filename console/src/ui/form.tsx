import { FieldError, Form as AriaForm, Input as AriaInput, Label as AriaLabel, TextField } from 'react-aria-components'
import styled from 'styled-components'

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
const Input = styled(AriaInput)`
  font: inherit;
  color: inherit;
  background: var(--surface);
  border: 1px solid var(--ink-soft);
  border-radius: var(--radius);
  padding: 8px 10px;
  min-height: 40px;
`
type Props = { label: string; name: string; type?: string; autoComplete?: string }

export const TextInput = ({ label, ...field }: Props) => (
  <Field {...field} isRequired>
    <Label>{label}</Label>
    <Input />
    <FieldError />
  </Field>
)
const Centre = styled.div`
  min-height: 100vh;
  display: grid;
  place-content: center;
  padding: var(--gap-4);
  gap: var(--gap-4);
`
export const CentrePage = ({ children }: { children: React.ReactNode }) => <Centre as="main">{children}</Centre>
