import { useReducer } from 'react'

type State<T> = { past: T[]; now: T; future: T[] }
type Act<T> = { do: 'set'; next: T } | { do: 'undo' } | { do: 'redo' }

function reduce<T>(s: State<T>, act: Act<T>): State<T> {
  switch (act.do) {
    case 'undo': {
      const before = s.past.at(-1)
      return before === undefined ? s : { past: s.past.slice(0, -1), now: before, future: [s.now, ...s.future] }
    }
    case 'redo': {
      const [next, ...rest] = s.future
      return next === undefined ? s : { past: [...s.past, s.now], now: next, future: rest }
    }
    default:
      return { past: [...s.past.slice(-99), s.now], now: act.next, future: [] }
  }
}

export type Undo = { undo?: () => void; redo?: () => void } // not there: there is nothing to undo, or to do again

/** Something that is changed step by step, and can be taken back step by step. */
export function useUndo<T>(initial: () => T): Undo & { now: T; set: (next: T) => void } {
  const [s, act] = useReducer(reduce<T>, undefined, () => ({ past: [], now: initial(), future: [] }))
  return {
    now: s.now,
    set: (next) => act({ do: 'set', next }),
    undo: s.past.length ? () => act({ do: 'undo' }) : undefined,
    redo: s.future.length ? () => act({ do: 'redo' }) : undefined,
  }
}

/** Undoes by Ctrl-Z and does again by Ctrl-Shift-Z, in the window in front: keys in a window over it are not its own, and in a
 *  field they are the field's. */
export function undoKeys(e: React.KeyboardEvent, { undo, redo }: Undo, say: (words: string) => void) {
  const target = e.target as HTMLElement
  if (!(e.ctrlKey || e.metaKey) || e.key.toLowerCase() !== 'z') return
  if (!e.currentTarget.contains(target) || target.matches('input:not([type=radio], [type=checkbox]), textarea')) return
  e.preventDefault()
  const act = e.shiftKey ? redo : undo
  act?.()
  say(act ? (e.shiftKey ? 'Done again.' : 'Undone.') : e.shiftKey ? 'Nothing to do again.' : 'Nothing to undo.')
}
