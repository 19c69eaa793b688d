import { ToggleButton, ToggleButtonGroup } from 'react-aria-components'
import styled from 'styled-components'

const Group = styled(ToggleButtonGroup)`
  display: inline-flex;
  flex-wrap: wrap;
  border: var(--hair);
  border-radius: var(--radius);
  margin-bottom: var(--gap-3);
  button {
    font: inherit;
    color: var(--accent);
    background: transparent;
    border: 0;
    padding: 5px 12px;
    min-height: 32px;
    cursor: pointer;
  }
  button[data-selected] {
    background: var(--sunk);
    color: var(--ink);
    font-weight: 620;
  }
`
type Props<K extends string> = { label: string; options: Record<K, string>; value: K; onChange: (value: K) => void }

/** One of a few. */
export const Choice = <K extends string>({ label, options, value, onChange }: Props<K>) => (
  <Group
    aria-label={label}
    selectionMode="single"
    disallowEmptySelection
    selectedKeys={[value]}
    onSelectionChange={(keys) => onChange([...keys][0] as K)}
  >
    {(Object.keys(options) as K[]).map((k) => (
      <ToggleButton key={k} id={k}>
        {options[k]}
      </ToggleButton>
    ))}
  </Group>
)
