import { useMemo, useState } from 'react'
import { useNavigate } from 'react-router'
import styled from 'styled-components'
import { calledAsset, useAssets } from '../api/assets'
import { boardTitle, useBoards } from '../api/boards'
import { api, pathOf, take } from '../api/client'
import { titleOf, useOutputs } from '../api/outputs'
import { useDevices, useGuards, useSession, useSignals, useStanding, useTotals } from '../api/queries'
import { queries } from '../api/queries'
import { byUrgency, fullTitle, readsAs, sentence } from '../api/words'
import { Failure, Soft } from '../ui/basics'
import { Dialog } from '../ui/dialog'
import { fieldLook } from '../ui/form'

const Field = styled.input`
  ${fieldLook}
  width: 100%;
  font-size: var(--step-1);
`
const Found = styled.ul`
  list-style: none;
  margin: var(--gap-2) 0 0;
  padding: 0;
  max-height: 50vh;
  overflow: auto;
  li {
    display: flex;
    justify-content: space-between;
    gap: var(--gap-3);
    padding: 8px 10px;
    min-height: 38px;
    border-bottom: var(--hair);
    cursor: pointer;
  }
  li[aria-selected='true'] {
    background: var(--sunk);
    box-shadow: inset 3px 0 var(--accent);
  }
`
type Thing = { key: string; name: string; kind: string; says?: string; to?: string; act?: () => Promise<unknown> }

const places: [string, string][] = [
  ['Now', '/'],
  ['Boards', '/boards'],
  ['Alarms', '/alarms'],
  ['Alarm health', '/alarms/health'],
  ['Assets', '/assets'],
  ['Runs', '/runs'],
  ['Outputs and interlocks', '/outputs'],
  ['Journal', '/journal'],
  ['Devices', '/devices'],
  ['Connect a device', '/devices/connect'],
  ['Arrivals', '/devices/arrivals'],
  ['Kits', '/devices/kits'],
  ['Rosters and contacts', '/rosters'],
  ['Notices', '/notices'],
  ['Set-up', '/set-up'],
  ['People', '/set-up/people'],
  ['Totals', '/totals'],
  ['Tariffs', '/set-up/tariffs'],
  ['Statements', '/statements'],
  ['History: take out, take in, clear', '/history'],
  ['Units', '/units'],
  ['Words of messages', '/words'],
  ['Trials', '/trials'],
  ['Compare signals', '/compare'],
  ['Compute a signal', '/derive'],
]

/** What there is, in the order in which it is offered: what is wrong and what can be done about it comes first. */
function useThings(): Thing[] {
  const keeper = useSession().data?.role !== 'viewer'
  const standing = useStanding().data
  const signals = useSignals().data
  const guards = useGuards().data
  const devices = useDevices().data
  const boards = useBoards().data
  const outputs = useOutputs().data
  const totals = useTotals().data
  const assets = useAssets().data
  return useMemo(() => {
    const things: Thing[] = []
    for (const a of [...(standing ?? [])].sort(byUrgency)) {
      const path = { params: { path: { id: a.id } } }
      if (keeper && !a.acknowledged_at)
        things.push({
          key: `have ${a.id}`,
          name: `I have it: ${sentence(a)}`,
          kind: 'acknowledge',
          act: () => take(api.POST('/api/v1/alarms/{id}/acknowledge', path)),
        })
      things.push({ key: `alarm ${a.id}`, name: sentence(a), kind: a.severity, to: `/alarms/${a.id}` })
      if (keeper && a.guard && !a.shelved)
        things.push({
          key: `shelve ${a.id}`,
          name: `Shelve for an hour: ${sentence(a)}`,
          kind: 'shelve',
          act: () =>
            take(
              api.PUT('/api/v1/guards/{guard}/shelf', {
                params: { path: { guard: a.guard } },
                body: { until: new Date(Date.now() + 3600_000).toISOString(), why: 'shelved from the search' },
              }),
            ),
        })
    }
    for (const [name, to] of places) things.push({ key: to, name, kind: 'place', to })
    for (const a of assets ?? [])
      things.push({ key: `asset ${a.name}`, name: calledAsset(a), kind: 'asset', to: `/assets/${a.name}` })
    for (const b of boards ?? [])
      things.push({ key: `board ${b.name}`, name: boardTitle(b), kind: 'board', to: `/boards/${b.name}` })
    for (const s of signals ?? [])
      things.push({
        key: `signal ${pathOf(s)}`,
        name: fullTitle(s),
        kind: 'signal',
        says: readsAs(s),
        to: `/signals/${pathOf(s)}`,
      })
    for (const d of devices ?? [])
      things.push({ key: `device ${d.name}`, name: d.title || d.name, kind: 'device', to: `/devices/of/${d.name}` })
    for (const o of outputs?.outputs ?? [])
      things.push({
        key: `output ${o.id}`,
        name: titleOf(o),
        kind: 'output',
        says: o.device,
        to: `/outputs/${o.device}/${o.name}`,
      })
    for (const t of totals ?? [])
      things.push({ key: `total ${t.name}`, name: t.title || t.name, kind: 'total', to: `/totals/${t.name}` })
    for (const g of guards ?? []) {
      const guard = g.name ?? ''
      things.push({ key: `guard ${guard}`, name: guard, kind: 'guard', says: g.when, to: `/guards/${guard}` })
      if (keeper)
        things.push({
          key: `drill ${guard}`,
          name: `Drill ${guard}`,
          kind: 'drill',
          act: () =>
            take(api.POST('/api/v1/guards/{guard}/drills', { params: { path: { guard }, query: { outputs: false } } })),
        })
    }
    return things
  }, [keeper, standing, signals, guards, devices, boards, outputs, totals, assets])
}

const most = 60

/** Goes anywhere and does the most needed, from the keyboard: a few letters of each word will do. */
export default function Seek({ onClose }: { onClose: () => void }) {
  return (
    <Dialog title="Find or do" open onClose={onClose}>
      <Seeking onClose={onClose} />
    </Dialog>
  )
}

function Seeking({ onClose }: { onClose: () => void }) {
  const navigate = useNavigate()
  const things = useThings()
  const [words, setWords] = useState('')
  const [at, setAt] = useState(0)
  const [error, setError] = useState<Error>()
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean)
  const found = things
    .filter((t) => wanted.every((w) => `${t.name} ${t.kind} ${t.key}`.toLowerCase().includes(w)))
    .slice(0, most)
  const chosen = found[Math.min(at, found.length - 1)]
  const carryOut = async (t: Thing) => {
    setError(undefined)
    try {
      const made = await t.act?.()
      void queries.invalidateQueries()
      onClose()
      if (t.to) void navigate(t.to)
      else if (t.kind === 'drill') void navigate(`/drills/${(made as { id: number }).id}`)
    } catch (e) {
      setError(e as Error)
    }
  }
  const key = (e: React.KeyboardEvent) => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[e.key]
    if (step) {
      e.preventDefault()
      const next = Math.min(found.length - 1, Math.max(0, at + step))
      setAt(next)
      document.getElementById(`found-${next}`)?.scrollIntoView({ block: 'nearest' })
    } else if (e.key === 'Enter' && chosen) {
      e.preventDefault()
      void carryOut(chosen)
    }
  }
  return (
    <>
      <Field
        // eslint-disable-next-line jsx-a11y/no-autofocus -- the window is opened to write here
        autoFocus
        role="combobox"
        aria-label="Find or do"
        aria-expanded
        aria-controls="found"
        aria-activedescendant={chosen ? `found-${found.indexOf(chosen)}` : undefined}
        placeholder="a signal, a device, a board, or drill …"
        value={words}
        onChange={(e) => {
          setWords(e.target.value)
          setAt(0)
        }}
        onKeyDown={key}
        data-seek-field
      />
      {error && <Failure error={error} />}
      <Found id="found" role="listbox" aria-label="Found">
        {found.map((t, i) => (
          // eslint-disable-next-line jsx-a11y/click-events-have-key-events -- the field has the keys
          <li
            key={t.key}
            id={`found-${i}`}
            role="option"
            aria-selected={t === chosen}
            onClick={() => void carryOut(t)}
            onPointerMove={() => setAt(i)}
          >
            <span>{t.name}</span>
            <Soft>{t.says ?? t.kind}</Soft>
          </li>
        ))}
      </Found>
      {found.length === 0 && <p>Nothing is called that.</p>}
    </>
  )
}
