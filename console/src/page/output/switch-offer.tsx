import { useQuery } from '@tanstack/react-query'
import { keyOf } from '../../api/changes'
import { api, take } from '../../api/client'
import { useAct } from '../../api/queries'
import { useSession } from '../../api/site'
import { Button, Failure, Prose } from '../../ui/basics'

/** Offers a signal that has read 0 and 1 alone to become one that is on or off. */
export function SwitchOffer({ device, signal }: { device: string; signal: string }) {
  const params = { path: { device, signal } }
  const keeper = useSession().data?.role !== 'viewer'
  const one = useQuery({
    queryKey: keyOf('signals', 'one', device, signal),
    queryFn: () => take(api.GET('/api/v1/signals/{device}/{signal}', { params })),
  })
  const make = useAct(() => take(api.POST('/api/v1/signals/{device}/{signal}/switch', { params })))
  if (!one.data?.may_be_switch || !keeper) return null
  return (
    <>
      <Prose role="note">
        It has read 0 and 1 alone. If that means off and on, it can be a switch, its readings with it.{' '}
        <Button onPress={() => make.mutate()} isDisabled={make.isPending}>
          Make it a switch
        </Button>
      </Prose>
      {make.error && <Failure error={make.error} />}
    </>
  )
}
