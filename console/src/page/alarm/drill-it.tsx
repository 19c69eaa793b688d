import { useNavigate } from 'react-router'
import { api, take } from '../../api/client'
import { useInterlocks } from '../../api/output'
import { useAct } from '../../api/queries'
import { useSession } from '../../api/site'
import { Failure, QuietButton, Row, Soft } from '../../ui/basics'

/** Starts a drill of a guard and opens its page. */
export function DrillIt({ guard }: { guard: string }) {
  const keeper = useSession().data?.role !== 'viewer'
  const navigate = useNavigate()
  const drives = (useInterlocks().data ?? []).some((i) => i.alarm)
  const drill = useAct((outputs: boolean) =>
    take(api.POST('/api/v1/guards/{guard}/drills', { params: { path: { guard }, query: { outputs } } })),
  )
  const begin = (outputs: boolean) => drill.mutate(outputs, { onSuccess: (d) => void navigate(`/drills/${d.id}`) })
  if (!keeper) return null
  return (
    <>
      <Row $above={3}>
        <QuietButton isDisabled={drill.isPending} onPress={() => begin(false)}>
          Drill {guard}
        </QuietButton>
        {drives && (
          <QuietButton isDisabled={drill.isPending} onPress={() => begin(true)}>
            … and move its outputs
          </QuietButton>
        )}
        <Soft>Everybody whom it tells is told, marked as a drill.</Soft>
      </Row>
      {drill.error && <Failure error={drill.error} />}
    </>
  )
}
