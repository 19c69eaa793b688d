import { useMemo, useState } from 'react'
import { useNavigate } from 'react-router'
import styled from 'styled-components'
import { useStanding } from '../../api/alarm'
import { calledAsset, useAssets } from '../../api/asset'
import { boardTitle, useBoards } from '../../api/board'
import { api, pathOf, take } from '../../api/client'
import { useDevices } from '../../api/device'
import { useGuards } from '../../api/guard'
import { serviceNow } from '../../api/live'
import { titleOf, useOutputs } from '../../api/output'
import { useSignals } from '../../api/signal'
import { useSession, useSite } from '../../api/site'
import { useTotals } from '../../api/total'
import { byUrgency, clock, fullTitle, readsAs, sentence } from '../../api/words'
import { Button, Failure, Prose, QuietButton, Row as Buttons, Soft } from '../../ui/basics'
import { Dialog } from '../../ui/dialog'
import { fieldLook } from '../../ui/form'

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
type Thing = { key: string; name: string; kind: string; says?: string; to: string }
type Verb = keyof typeof verbs
/** Something that can be done; it is offered when its verb is typed or chosen. */
type Act = {
  key: string
  verb: Verb
  name: string
  does: string // what comes of it
  asks?: string // what is asked before it is done
  act: () => Promise<string | undefined> // to where it leads
}

const verbs = {
  have: { name: 'I have it …', typed: ['i have it', 'have it', 'acknowledge'], says: 'take an alarm that stands' },
  shelve: { name: 'Shelve …', typed: ['shelve'], says: 'keep an alarm quiet for an hour' },
  drill: { name: 'Drill …', typed: ['drill'], says: 'try whether an alarm reaches people' },
} as const

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
  ['Readers', '/set-up/readers'],
  ['Removed: bring back', '/removed'],
  ['Totals', '/totals'],
  ['Tariffs', '/set-up/tariffs'],
  ['Statements', '/statements'],
  ['History: export, import, clear', '/history'],
  ['Units', '/units'],
  ['Words of messages', '/words'],
  ['Trials', '/trials'],
  ['Compare signals', '/compare'],
  ['New derived signal', '/derive'],
]

/** What there is to go to: what is wrong comes first. */
function useThings(): Thing[] {
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
    for (const a of [...(standing ?? [])].sort(byUrgency))
      things.push({ key: `alarm ${a.id}`, name: sentence(a), kind: a.severity, to: `/alarms/${a.id}` })
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
    for (const g of guards ?? [])
      things.push({ key: `guard ${g.name}`, name: g.name ?? '', kind: 'guard', says: g.when, to: `/guards/${g.name}` })
    return things
  }, [standing, signals, guards, devices, boards, outputs, totals, assets])
}

/** What a keeper can do from here. */
function useActs(): Act[] {
  const keeper = useSession().data?.role !== 'viewer'
  const standing = useStanding().data
  const guards = useGuards().data
  const zone = useSite().data?.zone ?? 'UTC'
  return useMemo(() => {
    const acts: Act[] = []
    if (!keeper) return acts
    for (const a of [...(standing ?? [])].sort(byUrgency)) {
      if (!a.acknowledged_at)
        acts.push({
          key: `have ${a.id}`,
          verb: 'have',
          name: `I have it: ${sentence(a)}`,
          does: 'nobody else is called about it',
          act: async () => {
            await take(api.POST('/api/v1/alarms/{id}/acknowledge', { params: { path: { id: a.id } } }))
            return `/alarms/${a.id}`
          },
        })
      if (a.guard && !a.shelved)
        acts.push({
          key: `shelve ${a.id}`,
          verb: 'shelve',
          name: `Shelve for an hour: ${sentence(a)}`,
          does: `nobody is told of it until ${clock(serviceNow() + hour, zone)}, unless it gets worse`,
          act: async () => {
            const until = new Date(serviceNow() + hour).toISOString()
            await take(
              api.PUT('/api/v1/guards/{guard}/shelf', {
                params: { path: { guard: a.guard } },
                body: { until, why: 'shelved from the search' },
              }),
            )
            return `/alarms/${a.id}`
          },
        })
    }
    for (const g of guards ?? []) {
      const guard = g.name ?? ''
      acts.push({
        key: `drill ${guard}`,
        verb: 'drill',
        name: `Drill ${guard}`,
        does: 'a marked alarm goes the whole way, to people',
        asks: `A marked reading raises an alarm of ${guard}, and all whom it tells are told that it is a drill: ${(g.tell ?? []).join(', ') || 'nobody'}. Outputs are not switched.`,
        act: async () => {
          const made = await take(
            api.POST('/api/v1/guards/{guard}/drills', { params: { path: { guard }, query: { outputs: false } } }),
          )
          return `/drills/${made.id}`
        },
      })
    }
    return acts
  }, [keeper, standing, guards, zone])
}

const hour = 3600_000

/** The verb that words begin with, and what follows it. */
function verbIn(words: string): { verb: Verb; rest: string } | undefined {
  const said = words.toLowerCase().trimStart()
  for (const verb of Object.keys(verbs) as Verb[])
    for (const typed of verbs[verb].typed)
      if (said === typed || said.startsWith(`${typed} `)) return { verb, rest: said.slice(typed.length) }
  return undefined
}

type Row = { key: string; name: string; says: string; run: () => void }

const wordsOf = (text: string) => text.toLowerCase().split(/\s+/).filter(Boolean)
const has = (text: string, wanted: string[]) => wanted.every((w) => text.toLowerCase().includes(w))
/** How well a name fits: what begins so comes before what has it somewhere. */
const rank = (name: string, words: string) => {
  const n = name.toLowerCase()
  const w = words.trim().toLowerCase()
  return !w || n.startsWith(w) ? 0 : n.includes(` ${w}`) ? 1 : has(name, wordsOf(w)) ? 2 : 3
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
  const acts = useActs()
  const [words, setWords] = useState('')
  const [at, setAt] = useState(0)
  const [asked, setAsked] = useState<Act>()
  const [error, setError] = useState<Error>()
  const go = (to: string) => {
    onClose()
    void navigate(to)
  }
  const write = (text: string) => {
    setWords(text)
    setAt(0)
  }
  const carryOut = async (act: Act) => {
    setError(undefined)
    try {
      const to = await act.act()
      go(to ?? '/')
    } catch (e) {
      setError(e as Error)
    }
  }
  const found = rowsOf(words, things, acts, {
    go,
    choose: (verb) => {
      write(`${verbs[verb].typed[0]} `)
      document.querySelector<HTMLInputElement>('[data-seek-field]')?.focus()
    },
    act: (act) => (act.asks ? setAsked(act) : void carryOut(act)),
  })
  const chosen = found[Math.min(at, found.length - 1)]
  const key = (e: React.KeyboardEvent) => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[e.key]
    if (step) {
      e.preventDefault()
      const next = Math.min(found.length - 1, Math.max(0, at + step))
      setAt(next)
      document.getElementById(`found-${next}`)?.scrollIntoView({ block: 'nearest' })
    } else if (e.key === 'Enter' && chosen) {
      e.preventDefault()
      chosen.run()
    }
  }
  if (asked)
    return (
      <section aria-label={asked.name} data-asked>
        <Prose>
          <b>{asked.name}?</b> {asked.asks}
        </Prose>
        <Buttons>
          {/* eslint-disable-next-line jsx-a11y/no-autofocus -- the question is answered here */}
          <Button autoFocus onPress={() => void carryOut(asked)}>
            {asked.name}
          </Button>
          <QuietButton onPress={() => setAsked(undefined)}>Cancel</QuietButton>
        </Buttons>
        {error && <Failure error={error} />}
      </section>
    )
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
        placeholder="a signal, a device, a board; or drill, shelve, I have it"
        value={words}
        onChange={(e) => write(e.target.value)}
        onKeyDown={key}
        data-seek-field
      />
      {error && <Failure error={error} />}
      <Found id="found" role="listbox" aria-label="Results">
        {found.map((r, i) => (
          // eslint-disable-next-line jsx-a11y/click-events-have-key-events -- the field has the keys
          <li
            key={r.key}
            id={`found-${i}`}
            role="option"
            aria-selected={r === chosen}
            onClick={r.run}
            onPointerMove={() => setAt(i)}
          >
            <span>{r.name}</span>
            <Soft>{r.says}</Soft>
          </li>
        ))}
      </Found>
    </>
  )
}

type Does = { go: (to: string) => void; choose: (verb: Verb) => void; act: (act: Act) => void }

/** What words lead to: acts where they begin with a verb; else what is called so, and the verbs themselves. */
function rowsOf(words: string, things: Thing[], acts: Act[], does: Does): Row[] {
  const said = verbIn(words)
  const rows: Row[] = acts
    .filter((a) => a.verb === said?.verb && has(a.name, wordsOf(said.rest)))
    .slice(0, most)
    .map((a) => ({ key: a.key, name: a.name, says: a.does, run: () => does.act(a) }))
  const wanted = wordsOf(words)
  rows.push(
    ...things
      .filter((t) => has(`${t.name} ${t.kind} ${t.key}`, wanted))
      .sort((a, b) => rank(a.name, words) - rank(b.name, words))
      .slice(0, most)
      .map((t) => ({ key: t.key, name: t.name, says: t.says ?? t.kind, run: () => does.go(t.to) })),
  )
  for (const verb of Object.keys(verbs) as Verb[]) {
    const v = verbs[verb]
    const offered = acts.some((a) => a.verb === verb)
    if (offered && has(`${v.name} ${v.typed.join(' ')}`, wanted))
      rows.push({ key: verb, name: v.name, says: v.says, run: () => does.choose(verb) })
  }
  if (words.trim())
    rows.push({
      key: 'journal',
      name: `Journal: “${words.trim()}”`,
      says: 'look there for these words',
      run: () => does.go(`/journal?words=${encodeURIComponent(words.trim())}`),
    })
  return rows
}
