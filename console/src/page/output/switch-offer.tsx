import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { api, take } from '../../api/client'
import { useSession } from '../../api/queries'
import { Button, Failure, Prose } from '../../ui/basics'

/** Offers a signal that has read 0 and 1 alone to become one that is on or off. */
export function SwitchOffer({ device, signal }: { device: string; signal: string }) {
  const params = { path: { device, signal } }
  const keeper = useSession().data?.role !== 'viewer'
  const client = useQueryClient()
  const one = useQuery({
    queryKey: ['signal by itself', device, signal],
    queryFn: () => take(api.GET('/api/v1/signals/{device}/{signal}', { params })),
  })
  const make = useMutation({
    mutationFn: () => take(api.POST('/api/v1/signals/{device}/{signal}/switch', { params })),
    onSuccess: () => client.invalidateQueries(),
  })
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
