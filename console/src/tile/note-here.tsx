import { useState } from 'react'
import { api, pathOf, take } from '../api/client'
import { useDraft } from '../api/drafts'
import { serviceNow } from '../api/live'
import type { Facts } from '../api/signal'
import { fullTitle } from '../api/words'
import { clockChanges } from '../chart/trace'
import { Dialog } from '../ui/dialog'
import { Form, Select, Send, useSave, Written } from '../ui/form'

/** An instant as fields of date and time write it, in a zone, and back. */
const localOf = (at: number, zone: string) =>
  new Intl.DateTimeFormat('sv-SE', {
    timeZone: zone,
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    hour: '2-digit',
    minute: '2-digit',
  })
    .format(at)
    .replace(' ', 'T')
/** The first instant at which the clock of the zone shows this, or jumps past it. */
function instantOf(local: string, zone: string) {
  const shows = Date.parse(`${local}:00Z`)
  const ahead = (at: number) => Date.parse(`${localOf(at, zone)}:00Z`) - Math.floor(at / 60_000) * 60_000
  const day = 86_400_000
  let from = shows - day
  for (const change of clockChanges(shows - day, shows + day, zone)) {
    const at = shows - ahead(from)
    if (at < change.at) return at
    from = change.at
  }
  return Math.max(from, shows - ahead(from))
}

type Props = { signals: Facts[]; zone: string; onClose: () => void }

/** Writes a note into the journal; charts show it at its time. */
export function NoteDialog({ signals, zone, onClose }: Props) {
  const [text, setText, unsaved] = useDraft(`note of ${signals[0] ? pathOf(signals[0]) : 'the site'}`, '')
  const [of, setOf] = useState(signals[0] ? pathOf(signals[0]) : '')
  const [begun] = useState(() => localOf(serviceNow(), zone))
  const [when, setWhen] = useState(begun)
  const write = useSave(
    () =>
      take(
        api.POST('/api/v1/journal', {
          body: { text, of, ...(when === begun ? {} : { at: new Date(instantOf(when, zone)).toISOString() }) },
        }),
      ),
    undefined,
    () => {
      unsaved.reset('')
      onClose()
    },
  )
  return (
    <Dialog title="Add a note" open onClose={onClose}>
      <Form unsaved={unsaved} save={write}>
        <Written label="Note" value={text} onChange={setText} />
        <Select
          label="About"
          value={of}
          onChange={setOf}
          options={Object.fromEntries([
            ...signals.map((s) => [pathOf(s), fullTitle(s)]),
            ...[...new Set(signals.map((s) => s.device))].map((d) => [
              d,
              `all of ${signals.find((s) => s.device === d)!.device_title}`,
            ]),
            ['', 'the whole site'],
          ])}
        />
        <Written label={`When (${zone})`} type="datetime-local" value={when} onChange={setWhen} />
        <Send send="Add" off={!text.trim()} onCancel={onClose} />
      </Form>
    </Dialog>
  )
}
