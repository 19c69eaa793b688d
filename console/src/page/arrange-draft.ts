import { useEffect, useReducer, useRef, useState } from 'react'
import { placed, type Placed, saveDraft } from '../api/boards'
import type { Board, Tiling } from '../api/client'
import { queries } from '../api/queries'

/** What is being changed of a board. */
export type Draft = { tiles: Placed[]; range: string; compare: string }

type State = { past: Draft[]; now: Draft; future: Draft[] }
type Act = { do: 'set'; draft: Draft } | { do: 'undo' } | { do: 'redo' }

function reduce(s: State, act: Act): State {
  switch (act.do) {
    case 'undo': {
      const before = s.past.at(-1)
      return before ? { past: s.past.slice(0, -1), now: before, future: [s.now, ...s.future] } : s
    }
    case 'redo': {
      const [next, ...rest] = s.future
      return next ? { past: [...s.past, s.now], now: next, future: rest } : s
    }
    default:
      return { past: [...s.past.slice(-99), s.now], now: act.draft, future: [] }
  }
}

const draftOf = (t: Tiling): Draft => ({ tiles: placed(t), range: t.range || '24h', compare: t.compare || '0s' })
const rest = 700

/** A draft of a board with its undo, which saves itself whenever it rests. */
export function useDraft(board: Board) {
  const [state, act] = useReducer(reduce, board, (b) => ({
    past: [],
    now: draftOf(b.draft?.tiling ?? b.tiling),
    future: [],
  }))
  const text = JSON.stringify(state.now)
  const [revision, setRevision] = useState(board.draft?.revision ?? 0)
  const [saved, setSaved] = useState(text)
  const kept = useRef({ revision, text }) // as the service has it; what is being saved goes on from it
  const chain = useRef(Promise.resolve())
  const [saving, setSaving] = useState(false)
  const [error, setError] = useState<Error>()

  /** Saves what is there now, after what is being saved. */
  const save = () => {
    const draft = state.now
    chain.current = chain.current.then(async () => {
      const key = JSON.stringify(draft)
      if (kept.current.text === key) return
      setSaving(true)
      try {
        const b = await saveDraft(board.name, draft, kept.current.revision)
        kept.current = { revision: (b.draft as Board['draft'] | null)?.revision ?? 0, text: key }
        setRevision(kept.current.revision)
        setSaved(key)
        queries.setQueryData(['board', board.name], b)
        setError(undefined)
      } catch (e) {
        setError(e as Error)
      } finally {
        setSaving(false)
      }
    })
    return chain.current
  }
  useEffect(() => {
    if (kept.current.text === text) return
    const timer = setTimeout(() => void save(), rest)
    return () => clearTimeout(timer)
    // eslint-disable-next-line react-hooks/exhaustive-deps -- saved once it rests
  }, [text])

  const latest = useRef(save)
  useEffect(() => {
    latest.current = save
  })
  // Whoever leaves the page takes nothing back.
  useEffect(() => () => void latest.current(), [])

  return {
    draft: state.now,
    set: (draft: Draft) => act({ do: 'set', draft }),
    undo: state.past.length ? () => act({ do: 'undo' }) : undefined,
    redo: state.future.length ? () => act({ do: 'redo' }) : undefined,
    save,
    revision,
    saving: saving || saved !== text,
    error,
  }
}
