import { keyOf } from './changes'
import { useCallback, useEffect, useRef, useState } from 'react'
import type { Person } from './client'
import { queries } from './queries'

/** What somebody has written and not saved: when, what it began with, and what they made of it. */
type Left<T> = { at: number; began: string; value: T }

const prefix = 'unsaved '
const most = 50 // drafts of a browser; the oldest goes
const keptFor = 30 * 86_400_000

const placeOf = (key: string) => `${prefix}${queries.getQueryData<Person>(keyOf('session'))?.email ?? ''} ${key}`

function leftAt<T>(place: string): Left<T> | undefined {
  try {
    return JSON.parse(localStorage.getItem(place) ?? 'null') as Left<T> | undefined
  } catch {
    return undefined // another version of the console wrote it
  }
}

const places = () => Object.keys(localStorage).filter((name) => name.startsWith(prefix))

function keep<T>(place: string, left: Left<T>) {
  try {
    localStorage.setItem(place, JSON.stringify(left))
    const byAge = places()
      .map((p) => ({ p, at: leftAt(p)?.at ?? 0 }))
      .sort((a, b) => b.at - a.at)
    for (const { p, at } of byAge.filter((o, i) => i >= most || Date.now() - o.at > keptFor))
      if (at < left.at) localStorage.removeItem(p)
  } catch {
    // The device has no room; then it is not kept.
  }
}

/** Whether something of the person who is signed in is not saved. */
export const hasDrafts = () => places().some((p) => p.startsWith(placeOf('')))

/** Whether something of what is kept under a key is not saved. */
export const hasDraft = (key: string) => !!leftAt(placeOf(key))

/** Drops all that was not saved, of everybody who used this browser. */
export const dropDrafts = () => places().forEach((p) => localStorage.removeItem(p))

/** What becomes of what was written and not saved. */
export type Unsaved = {
  at?: number // when it was written, where it was found on opening and nothing is decided yet
  changed: boolean // whether what it began with has changed since
  goOn: () => void
  discard: () => void
  done: () => void // it is saved as it is written now
}

/** What was left, where it is still of the shape of what it is put in place of: another version of the console may have written
 *  it. */
function fitting<T>(left: Left<T> | undefined, first: T): Left<T> | undefined {
  // A length of time is a number of seconds, and text once it is written.
  const kind = (v: unknown) =>
    Array.isArray(v) ? 'list' : v === null ? 'nothing' : typeof v === 'number' ? 'string' : typeof v
  if (!left || kind(left.value) !== kind(first)) return undefined
  if (kind(first) !== 'object') return left
  const was = left.value as Record<string, unknown>
  // Numbers that are none yet are written as nothing.
  const fits = ([key, v]: [string, unknown]) =>
    v == null || was[key] == null ? kind(v) !== 'list' : kind(was[key]) === kind(v)
  return Object.entries(first as Record<string, unknown>).every(fits) ? left : undefined
}

/** Keeps what somebody writes, on this device, until it is saved or discarded: it is there again when the page is left or
 *  loaded anew. */
export function useDraft<T>(
  key: string,
  initial: T | (() => T),
): [T, (next: T | ((old: T) => T)) => void, Unsaved & { reset: (to: T) => void }] {
  const place = placeOf(key)
  const [first] = useState(initial)
  const [began] = useState(() => JSON.stringify(first))
  const [found, setFound] = useState(() => fitting(leftAt<T>(place), first))
  const [value, setValue] = useState(found ? found.value : first)
  const saved = useRef(began)
  const newest = useRef(value)
  useEffect(() => {
    newest.current = value
    const now = JSON.stringify(value)
    if (now === saved.current) localStorage.removeItem(place)
    else if (now !== JSON.stringify(leftAt<T>(place)?.value))
      keep(place, { at: Date.now(), began: saved.current, value })
  }, [value, place])
  const goOn = useCallback(() => setFound(undefined), [])
  const discard = useCallback(() => {
    setFound(undefined)
    setValue(JSON.parse(saved.current) as T)
    localStorage.removeItem(place)
  }, [place])
  const done = useCallback(() => {
    setFound(undefined)
    saved.current = JSON.stringify(newest.current)
    localStorage.removeItem(place)
  }, [place])
  const reset = useCallback(
    (to: T) => {
      setFound(undefined)
      saved.current = JSON.stringify(to)
      setValue(to)
      localStorage.removeItem(place)
    },
    [place],
  )
  return [value, setValue, { reset, at: found?.at, changed: !!found && found.began !== began, goOn, discard, done }]
}

/** What was typed into the named fields of a form, and is not saved. */
export type FormDraft = {
  values: Record<string, string> // what was found, by the names of fields
  round: number // fields are drawn anew when it moves on
  unsaved: Unsaved
  begin: (form: HTMLFormElement) => void
  take: (form: HTMLFormElement) => void
}

const secret = (form: HTMLFormElement, name: string) =>
  form.querySelector<HTMLInputElement>(`[name="${CSS.escape(name)}"]`)?.type === 'password'

/** Keeps what is typed into the named fields of a form, secrets excepted. */
export function useFormDraft(key: string): FormDraft {
  const [values, set, unsaved] = useDraft<Record<string, string>>(key, {})
  const [given, setGiven] = useState({ values, round: 0 })
  const began = useRef<Record<string, string>>(undefined)
  const say = (form: HTMLFormElement) =>
    Object.fromEntries([...new FormData(form)].filter(([k]) => !secret(form, k)).map(([k, v]) => [k, String(v)]))
  const anew = (next: Record<string, string>) => {
    began.current = undefined
    setGiven((old) => ({ values: next, round: old.round + 1 }))
  }
  return {
    values: given.values,
    round: given.round,
    unsaved: {
      ...unsaved,
      discard: () => {
        unsaved.discard()
        anew({})
      },
      done: () => {
        unsaved.reset({})
        began.current = undefined
        // Fields that are drawn anew begin with what is saved.
        setGiven((old) => ({ values: {}, round: old.round }))
      },
    },
    begin: (form) => (began.current ??= say(form)),
    take: (form) => {
      // What follows from the key is drawn first.
      setTimeout(() => {
        const old = began.current ?? {}
        set(Object.fromEntries(Object.entries(say(form)).filter(([k, v]) => unsaved.at || old[k] !== v)))
      })
    },
  }
}
