import styled from 'styled-components'
import { fieldLook } from './form'
import { Scroll } from './basics'

/** A table with fields in it. */
export const Cells = styled(Scroll)`
  margin-bottom: var(--gap-4);
  select,
  input {
    ${fieldLook}
    padding: 5px 8px;
    min-height: 36px;
    max-width: 100%;
  }
`
type CellProps = { label: string; value: string; onChange: (value: string) => void }

/** Text in a cell; its label is heard, the row and the column show it. */
export const CellText = ({ label, value, onChange, size }: CellProps & { size?: number }) => (
  <input aria-label={label} size={size} value={value} onChange={(e) => onChange(e.target.value)} />
)

type SelectProps = CellProps & {
  options: (readonly [value: string, text: string])[]
  shown?: boolean // the label stands before it
}

/** One of a list, in a cell or in a line of tools. */
export const CellSelect = ({ label, value, onChange, options, shown }: SelectProps) => {
  const select = (
    <select aria-label={shown ? undefined : label} value={value} onChange={(e) => onChange(e.target.value)}>
      {options.map(([v, text]) => (
        <option key={v} value={v}>
          {text}
        </option>
      ))}
    </select>
  )
  return shown ? (
    <label>
      {label} {select}
    </label>
  ) : (
    select
  )
}

const Chosen = styled.label`
  display: grid;
  gap: var(--gap-1);
  font-weight: 600;
  input {
    font: 400 var(--step-0) var(--face);
    min-height: 40px;
  }
`
type FileProps = { label: string; onChange: (file: File) => void; busy: boolean }

/** A file of this device. */
export const FileField = ({ label, onChange, busy }: FileProps) => (
  <Chosen>
    {label}
    <input type="file" onChange={(e) => e.target.files?.[0] && onChange(e.target.files[0])} disabled={busy} />
  </Chosen>
)
