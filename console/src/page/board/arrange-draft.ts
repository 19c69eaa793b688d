import { useEffect, useRef, useState } from 'react'
import { placed, type Placed, saveDraft, takeBoard } from '../../api/board'
import { keyOf } from '../../api/changes'
import { type Board, Problem, type Tiling } from '../../api/client'
import { queries } from '../../api/queries'
import type { Length } from '../../api/words'
import { useUndo } from '../../ui/undo'

/** What is being changed of a board. */
export type Draft = { tiles: Placed[]; range: Length; compare: Length }

const draftOf = (t: Tiling): Draft => ({ tiles: placed(t), range: t.range || '24h', compare: t.compare || 0 })
const rest = 700

/** What somebody else has made of the board meanwhile. */
export type Theirs = { board: Board; who: string; at?: string; published: boolean }

/** A draft of a board with its undo, which saves itself whenever it rests. Newest is the board as the service last told it. */
export function useBoardDraft(board: Board, newest: Board) {
  const steps = useUndo<Draft>(() => draftOf(board.draft?.tiling ?? board.tiling))
  const text = JSON.stringify(steps.now)
  // As the service has it; what is being saved goes on from it.
  const [kept, setKept] = useState({ revision: board.draft?.revision ?? 0, version: board.version, text })
  const known = useRef(kept)
  const keep = (next: typeof kept) => {
    known.current = next
    setKept(next)
  }
  const chain = useRef(Promise.resolve())
  const [saving, setSaving] = useState(false)
  const [refused, setRefused] = useState<Board>()
  const [error, setError] = useState<Error>()

  /** Saves what is there now, after what is being saved. */
  const save = () => {
    const draft = steps.now
    chain.current = chain.current.then(async () => {
      const key = JSON.stringify(draft)
      if (known.current.text === key) return
      setSaving(true)
      try {
        const b = await saveDraft(board.name, draft, known.current.revision)
        keep({ revision: b.draft?.revision ?? 0, version: b.version, text: key })
        queries.setQueryData(keyOf('board', board.name), b)
        setError(undefined)
      } catch (e) {
        if (e instanceof Problem && e.status === 409) setRefused(await takeBoard(board.name))
        else setError(e as Error)
      } finally {
        setSaving(false)
      }
    })
    return chain.current
  }
  const moved = (newest.draft?.revision ?? 0) > kept.revision || newest.version > kept.version
  const other = saving ? undefined : (refused ?? (moved ? newest : undefined))
  const stands = !!other
  useEffect(() => {
    // What somebody else has changed is not written over before it was looked at.
    if (stands || known.current.text === text) return
    const timer = setTimeout(() => void save(), rest)
    return () => clearTimeout(timer)
    // eslint-disable-next-line react-hooks/exhaustive-deps -- saved once it rests
  }, [text, stands, kept.revision])

  const latest = useRef(save)
  useEffect(() => {
    latest.current = stands ? () => Promise.resolve() : save
  })
  // Whoever leaves the page takes nothing back.
  useEffect(() => () => void latest.current(), [])

  const settle = (b: Board, own: boolean) => {
    const draft = draftOf(b.draft?.tiling ?? b.tiling)
    keep({ revision: b.draft?.revision ?? 0, version: b.version, text: JSON.stringify(draft) })
    setRefused(undefined)
    if (!own) steps.set(draft)
  }
  return {
    draft: steps.now,
    set: steps.set,
    undo: steps.undo,
    redo: steps.redo,
    save,
    revision: kept.revision,
    saving: saving || kept.text !== text,
    error,
    theirs: other && theirsOf(other),
    takeTheirs: () => other && settle(other, false),
    keepMine: () => other && settle(other, true),
  }
}

const theirsOf = (b: Board): Theirs => ({
  board: b,
  who: b.draft?.by ?? 'Somebody',
  at: b.draft?.at,
  published: !b.draft,
})
