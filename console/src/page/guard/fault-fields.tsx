import type { Signal } from '../../api/client'
import { listOf } from '../../api/people'
import { Pick, TextInput } from '../../ui/form'

type Faults = Signal['faults']

/** How bad the faults of a thing are, and who is told. */
export const FaultFields = ({ faults, what, otherwise }: { faults: Faults; what: string; otherwise: string }) => (
  <>
    <Pick
      label={`Severity of ${what}`}
      name="fault_severity"
      none={`as ${otherwise} say`}
      options={[
        { value: 'advisory', text: 'advisory' },
        { value: 'warning', text: 'warning' },
        { value: 'critical', text: 'critical' },
      ]}
      defaultValue={faults?.severity ?? ''}
    />
    <TextInput
      label={`Tell of ${what}`}
      name="fault_tell"
      optional
      hint={`Rosters, contacts, e-mail addresses; whom ${otherwise} tell when empty`}
      defaultValue={(faults?.tell ?? []).join(', ')}
    />
  </>
)

/** What these fields say, as a change. */
export const faultsSaid = (f: Record<string, string>) => ({
  fault_severity: (f.fault_severity ?? '') as '' | 'advisory' | 'warning' | 'critical',
  fault_tell: listOf(f.fault_tell ?? ''),
})
