import { useNavigate } from 'react-router'
import { api, take } from '../api/client'
import { useSession } from '../api/queries'
import { useReachAct } from '../api/reach'
import { Failure, QuietButton, Row, Soft } from '../ui/basics'

/** Starts a drill of a guard and opens its page. */
export function DrillIt({ guard }: { guard: string }) {
  const keeper = useSession().data?.role !== 'viewer'
  const navigate = useNavigate()
  const drill = useReachAct(() => take(api.POST('/api/v1/guards/{guard}/drills', { params: { path: { guard } } })))
  if (!keeper) return null
  return (
    <>
      <Row style={{ marginTop: 'var(--gap-3)' }}>
        <QuietButton
          isDisabled={drill.isPending}
          onPress={() => drill.mutate(undefined, { onSuccess: (d) => void navigate(`/drills/${d.id}`) })}
        >
          Drill {guard}
        </QuietButton>
        <Soft>Everybody whom it tells is told, marked as a drill.</Soft>
      </Row>
      {drill.error && <Failure error={drill.error} />}
    </>
  )
}
