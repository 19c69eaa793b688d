import { useQuery } from '@tanstack/react-query'
import { keyOf } from './changes'
import { type Alarm, api, take, takePage } from './client'
import { LiveList } from './live-list'
import type { Carrier } from './people'
import { queries, useAct } from './queries'
import { byUrgency } from './words'

/** The worst alarm that stands about a signal. */
export const useWorst = (path: string) =>
  useQuery({
    queryKey: keyOf('standing'),
    queryFn: listStanding,
    select: (all) => [...all].filter((a) => a.signal === path).sort(byUrgency)[0],
  }).data

/** The newest alarms, standing or over; the live stream keeps them new. */
export const useAlarms = () =>
  useQuery({
    queryKey: keyOf('alarms'),
    queryFn: () => alarms.list(() => take(api.GET('/api/v1/alarms', { params: { query: { all: true, limit: 200 } } }))),
  })

/** The alarms that stood at an instant or later, of those that `of` picks. The newest ones are kept live. */
export function useAlarmsSince(since: number, of: (a: Alarm) => boolean) {
  const recent = useAlarms().data ?? []
  const day = 86_400_000
  const from = Math.floor(since / day) * day
  const oldest = recent.length < 200 ? 0 : Math.min(...recent.map((a) => Date.parse(a.raised_at)))
  const past = useQuery({
    queryKey: keyOf('alarms', 'since', from),
    queryFn: () =>
      take(
        api.GET('/api/v1/alarms', {
          params: { query: { all: true, limit: 1000, since: new Date(from).toISOString() } },
        }),
      ),
    enabled: oldest > since,
    staleTime: 5 * 60_000,
  }).data
  const byID = new Map([...(past ?? []), ...recent].map((a) => [a.id, a]))
  return [...byID.values()].filter((a) => of(a) && (!a.cleared_at || Date.parse(a.cleared_at) >= since))
}

const listStanding = () => standing.list(() => take(api.GET('/api/v1/alarms', { params: { query: { limit: 1000 } } })))

/** Standing alarms, however many newer ones are over. */
export const useStanding = () =>
  useQuery({
    queryKey: keyOf('standing'),
    queryFn: listStanding,
  })

export const useAlarm = (id: number) =>
  useQuery({
    queryKey: keyOf('alarm', id),
    queryFn: () => take(api.GET('/api/v1/alarms/{id}', { params: { path: { id } } })),
    // How far it went and who was told move on without a change of the alarm itself.
    refetchInterval: (query) => (query.state.data?.state === 'raised' ? 10_000 : false),
  })

/** Does something to one alarm, and shows it as it is then. */
export const useAlarmAct = <In = void>(act: (input: In) => Promise<Alarm>) =>
  useAct(async (input: In) => takeAlarms([await act(input)]))

export const useAcknowledge = () =>
  useAlarmAct((id: number) => take(api.POST('/api/v1/alarms/{id}/acknowledge', { params: { path: { id } } })))
export const useHealth = (days: number) =>
  useQuery({
    queryKey: keyOf('health', days),
    queryFn: () =>
      take(
        api.GET('/api/v1/alarm-health', {
          params: { query: { since: new Date(Date.now() - days * 86_400_000).toISOString() } },
        }),
      ),
  })

const newestFirst = (a: Alarm, b: Alarm) => b.id - a.id
const alarms = new LiveList<Alarm>('alarms', newestFirst)
const standing = new LiveList<Alarm>('standing', newestFirst, (a) => a.state === 'raised')

/** Puts alarms as they are now into what is shown. */
export function takeAlarms(changed: Alarm[]) {
  alarms.tell(changed)
  standing.tell(changed)
  for (const a of changed) void queries.invalidateQueries({ queryKey: keyOf('alarm', a.id) })
}

export const useDrills = () =>
  useQuery({ queryKey: keyOf('drills'), queryFn: () => take(api.GET('/api/v1/drills')), refetchInterval: 10_000 })
export const useDrill = (id: number) =>
  useQuery({
    queryKey: keyOf('drills', id),
    queryFn: () => take(api.GET('/api/v1/drills/{id}', { params: { path: { id } } })),
    refetchInterval: (query) => (query.state.data?.ended_at ? false : 700),
  })
type NoticeState = 'waiting' | 'sent' | 'delivered' | 'given up' | 'held' | 'summed up'
export type NoticeFilter = { state?: NoticeState; contact?: string; carrier?: Carrier; cursor?: string }
const noticePage = 50
export const takeNotices = (query: NoticeFilter) =>
  takePage(api.GET('/api/v1/notices', { params: { query: { ...query, limit: noticePage } } }))
