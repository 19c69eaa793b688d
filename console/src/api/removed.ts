import { keyOf } from './changes'
import { useAct } from './queries'
import { useQuery } from '@tanstack/react-query'
import { useSyncExternalStore } from 'react'
import { api, take } from './client'

/** Something that was removed: its kind, and its name among these. */
export type Gone = { kind: string; name: string }

let last: Gone | undefined
const listeners = new Set<() => void>()

/** Says what was removed just now; nothing: it is not offered any more. */
export function tellRemoved(gone?: Gone) {
  last = gone
  listeners.forEach((tell) => tell())
}

/** What was removed last in this tab, until it is brought back or put aside. */
export const useLastRemoved = () =>
  useSyncExternalStore(
    (tell) => {
      listeners.add(tell)
      return () => listeners.delete(tell)
    },
    () => last,
  )

export const useRemoved = () =>
  useQuery({ queryKey: keyOf('removed'), queryFn: () => take(api.GET('/api/v1/removed')) })

export const useBringBack = () =>
  useAct(async (body: Gone) => {
    await take(api.POST('/api/v1/removed/bring-back', { body }))
    tellRemoved()
  })
