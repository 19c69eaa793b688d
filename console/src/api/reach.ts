import { useMutation, useQuery } from '@tanstack/react-query'
import { api, type Contact, type Roster, take } from './client'
import { queries } from './queries'

export const carriers = {
  'e-mail': 'e-mail',
  text: 'text message',
  voice: 'voice call',
  chat: 'chat',
  webhook: 'webhook',
  push: 'push',
} as const
export type Carrier = keyof typeof carriers
export const severities = { advisory: 'advisory', warning: 'warning', critical: 'critical' } as const
export type Severity = keyof typeof severities

export const useContacts = () => useQuery({ queryKey: ['contacts'], queryFn: () => take(api.GET('/api/v1/contacts')) })
export const useRosters = () => useQuery({ queryKey: ['rosters'], queryFn: () => take(api.GET('/api/v1/rosters')) })
export const useCarriers = () =>
  useQuery({ queryKey: ['carriers'], queryFn: () => take(api.GET('/api/v1/carriers')), refetchInterval: 5_000 })
export const useReach = () =>
  useQuery({ queryKey: ['reach'], queryFn: () => take(api.GET('/api/v1/site/reach')), refetchInterval: 30_000 })
export const useStatements = () =>
  useQuery({ queryKey: ['statements'], queryFn: () => take(api.GET('/api/v1/statements')) })
export const useSheet = (statement: string, at: string) =>
  useQuery({
    queryKey: ['sheet', statement, at],
    queryFn: () =>
      take(
        api.GET('/api/v1/statements/{statement}/sheet', {
          params: { path: { statement }, query: at ? { at } : {} },
        }),
      ),
  })
export const usePlaceholders = () =>
  useQuery({
    queryKey: ['placeholders'],
    queryFn: () => take(api.GET('/api/v1/placeholders')),
    staleTime: Infinity,
  })
export const useDrills = () =>
  useQuery({ queryKey: ['drills'], queryFn: () => take(api.GET('/api/v1/drills')), refetchInterval: 10_000 })
export const useDrill = (id: number) =>
  useQuery({
    queryKey: ['drills', id],
    queryFn: () => take(api.GET('/api/v1/drills/{id}', { params: { path: { id } } })),
    refetchInterval: (query) => (query.state.data?.ended_at ? false : 700),
  })
type NoticeState = 'waiting' | 'sent' | 'delivered' | 'given up' | 'held' | 'summed up'
export type NoticeFilter = { state?: NoticeState; contact?: string; carrier?: Carrier; before?: number }
export const noticePage = 50
export const takeNotices = (query: NoticeFilter) =>
  take(api.GET('/api/v1/notices', { params: { query: { ...query, limit: noticePage } } }))

/** Whom a roster, saved or not, would tell of an alarm raised at an instant. */
export const usePlan = (roster: Roster, at: string, severity: Severity) =>
  useQuery({
    queryKey: ['plan', roster, at, severity],
    queryFn: () => take(api.POST('/api/v1/roster-plans', { body: { roster, severity, ...(at ? { at } : {}) } })),
    retry: false,
    placeholderData: (old) => old,
  })

/** Does something about who is told, and asks anew for all that it may have changed. */
export const useReachAct = <In, Out>(act: (input: In) => Promise<Out>) =>
  useMutation({
    mutationFn: act,
    onSuccess: () => {
      for (const what of [
        'contacts',
        'rosters',
        'reach',
        'statements',
        'drills',
        'notices',
        'carriers',
        'standin',
        'guards',
      ])
        void queries.invalidateQueries({ queryKey: [what] })
    },
  })

export const saveContact = (c: Contact) => {
  return take(
    api.PUT('/api/v1/contacts/{contact}', {
      params: { path: { contact: c.name! } },
      body: { ...c, id: undefined } as unknown as Contact,
    }),
  )
}
export const saveRoster = (r: Roster) => {
  const { title, steps, repeat, rotation } = r
  return take(
    api.PUT('/api/v1/rosters/{roster}', {
      params: { path: { roster: r.name! } },
      body: { title, steps, repeat, rotation } as Roster,
    }),
  )
}

/** Words with commas between them. */
export const listOf = (text: string) =>
  text
    .split(/[\s,;]+/)
    .map((t) => t.trim())
    .filter(Boolean)
