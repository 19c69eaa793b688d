import styled from 'styled-components'
import { Soft } from './basics'

const Slid = styled.label`
  display: block;
  font-weight: 600;
  input {
    display: block;
    width: 100%;
    min-height: 24px;
    accent-color: var(--accent);
  }
`
type Props = {
  label: string
  value: number
  onChange: (value: number) => void
  step: number
  says?: string // what the value means
}

/** A share between nothing and all. */
export const Slider = ({ label, value, onChange, step, says }: Props) => (
  <Slid>
    {label} {says && <Soft>{says}</Soft>}
    <input
      type="range"
      min={0}
      max={1}
      step={step}
      value={value}
      aria-valuetext={says}
      onChange={(e) => onChange(Number(e.target.value))}
    />
  </Slid>
)
