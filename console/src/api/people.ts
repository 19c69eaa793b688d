import { useQuery } from '@tanstack/react-query'
import { keyOf } from './changes'
import { type Address, api, type Precondition, type Contact, type Roster, take } from './client'

export const carriers = {
  'e-mail': 'e-mail',
  text: 'text message',
  voice: 'voice call',
  chat: 'chat',
  webhook: 'webhook',
  push: 'push',
} as const satisfies Record<Address['carrier'], string> // core/roster/carrier.go has them
export type Carrier = keyof typeof carriers
export const severities = { advisory: 'advisory', warning: 'warning', critical: 'critical' } as const
export type Severity = keyof typeof severities

export const useContacts = () =>
  useQuery({ queryKey: keyOf('contacts'), queryFn: () => take(api.GET('/api/v1/contacts')) })
export const useRosters = () =>
  useQuery({ queryKey: keyOf('rosters'), queryFn: () => take(api.GET('/api/v1/rosters')) })
export const useCarriers = () =>
  useQuery({ queryKey: keyOf('carriers'), queryFn: () => take(api.GET('/api/v1/carriers')), refetchInterval: 5_000 })

/** Whom a roster, saved or not, would tell of an alarm raised at an instant. */
export const usePlan = (roster: Roster, at: string, severity: Severity) =>
  useQuery({
    queryKey: keyOf('plan', roster, at, severity),
    queryFn: () => take(api.POST('/api/v1/roster-plans', { body: { roster, severity, ...(at ? { at } : {}) } })),
    retry: false,
    placeholderData: (old) => old,
  })

export const lookAtContact = (contact: string) =>
  api.GET('/api/v1/contacts/{contact}', { params: { path: { contact } } })
export const putContact = (c: Contact, header: Precondition) =>
  api.PUT('/api/v1/contacts/{contact}', {
    params: { path: { contact: c.name! }, header },
    body: { ...c, id: undefined } as unknown as Contact,
  })
export const lookAtRoster = (roster: string) => api.GET('/api/v1/rosters/{roster}', { params: { path: { roster } } })
export const putRoster = (r: Roster, header: Precondition) => {
  const { title, steps, repeat, rotation } = r
  return api.PUT('/api/v1/rosters/{roster}', {
    params: { path: { roster: r.name! }, header },
    body: { title, steps, repeat, rotation } as Roster,
  })
}

/** Words with commas between them. */
export const listOf = (text: string) =>
  text
    .split(/[\s,;]+/)
    .map((t) => t.trim())
    .filter(Boolean)
