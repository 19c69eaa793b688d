import type { QueryKey } from '@tanstack/react-query'
import type { paths } from './schema.gen'

/** What is asked of the service and held, by the first word of its key. */
export type Held =
  | 'alarm'
  | 'alarms'
  | 'arrivals'
  | 'assets'
  | 'board'
  | 'boards'
  | 'carriers'
  | 'changing'
  | 'clearings'
  | 'compare'
  | 'contacts'
  | 'device'
  | 'devices'
  | 'doubts'
  | 'drills'
  | 'enrolment'
  | 'eye'
  | 'figures'
  | 'frames'
  | 'grid'
  | 'guards'
  | 'health'
  | 'interlocks'
  | 'journal'
  | 'kits'
  | 'limits'
  | 'line'
  | 'lines'
  | 'notices'
  | 'outputs'
  | 'palettes'
  | 'people'
  | 'pictures'
  | 'placeholders'
  | 'plan'
  | 'preview'
  | 'reach'
  | 'readers'
  | 'recipe'
  | 'recipe-kinds'
  | 'record'
  | 'removed'
  | 'rosters'
  | 'run-plans'
  | 'runs'
  | 'session'
  | 'sheet'
  | 'signals'
  | 'site'
  | 'sparks'
  | 'spread'
  | 'standin'
  | 'standing'
  | 'statements'
  | 'states'
  | 'storage'
  | 'tariffs'
  | 'totals'
  | 'trials'
  | 'trust'
  | 'units'
  | 'watch'
  | 'work'

/** The key of what is held: what it is, then which. */
export const keyOf = (held: Held, ...which: unknown[]) => [held, ...which] as const

type Writing = 'put' | 'post' | 'patch' | 'delete'
type Written = {
  [P in keyof paths]: [Exclude<paths[P][Writing], undefined>] extends [never] ? never : P
}[keyof paths]
type NounOf<P> = P extends `/api/v1/${infer N}/${string}` ? N : P extends `/api/v1/${infer N}` ? N : never

const all = 'all'
const nothing: Held[] = []
const alarmed: Held[] = ['alarm', 'alarms', 'standing', 'health', 'record']
const reached: Held[] = ['contacts', 'rosters', 'reach', 'statements', 'drills', 'notices', 'carriers', 'guards']
const connected: Held[] = ['devices', 'device', 'arrivals', 'kits', 'enrolment', 'signals', 'storage']
const believed: Held[] = ['trust', 'recipe', 'signals', 'work', 'line', 'doubts', 'compare', 'totals', 'tariffs']
const controlled: Held[] = ['outputs', 'interlocks']
const stored: Held[] = ['storage', 'clearings', 'signals', 'site', 'sparks', 'devices']
const documented: Held[] = ['assets', 'runs', 'run-plans', 'guards', 'devices', 'device']
const arranged: Held[] = ['boards', 'board', 'pictures', 'session']

/** What an act changes, by the noun that it acts upon: the first word of its path. The compiler asks for each. */
const byNoun: Record<NounOf<Written>, Held[] | typeof all> = {
  alarms: [...alarmed, 'notices', ...controlled],
  archive: nothing,
  arrivals: connected,
  assets: documented,
  boards: arranged,
  carriers: reached,
  clearings: stored,
  contacts: reached,
  devices: [...connected, ...controlled, 'guards'],
  drills: ['drills', 'notices', ...alarmed],
  batch: 'all',
  emergency: [...controlled, ...alarmed],
  enrolment: connected,
  guards: ['guards', 'trials', 'signals', 'limits', 'drills', 'assets', ...alarmed],
  imports: [...stored, 'device'],
  intake: nothing,
  'interlock-trials': nothing,
  interlocks: controlled,
  journal: ['assets', 'runs'],
  kits: connected,
  outputs: controlled,
  people: ['people'],
  pictures: arranged,
  previews: nothing,
  readers: ['readers'],
  removed: all,
  replays: nothing,
  'roster-plans': nothing,
  rosters: reached,
  'run-plans': documented,
  runs: documented,
  session: all,
  signals: [...believed, ...alarmed, 'guards', 'devices', 'device'],
  site: all,
  standin: ['standin', ...reached],
  statements: ['statements', 'sheet', 'notices'],
  tariffs: believed,
  tokens: ['session'],
  totals: [...believed, 'sheet'],
  trials: ['trials', 'guards', 'signals', ...alarmed],
}

/** Acts that change more or less than their noun tells. */
const byPath: Partial<Record<Written, Held[] | typeof all>> = {
  // Who signs in or out has nothing yet, or nothing any more.
  '/api/v1/session': nothing,
  '/api/v1/session/push': reached,
  // What somebody arranges is saved as they go, and held by them.
  '/api/v1/boards/{board}/draft': ['boards'],
  '/api/v1/devices/{device}/eye': ['eye', 'frames', 'grid', 'signals'],
  '/api/v1/signals/{device}/{signal}/calibrations/try': nothing,
  '/api/v1/signals/{device}/{signal}/switch': all,
}

/** Each act is in the journal; what it removed can be brought back. */
const always: Held[] = ['journal', 'removed']

const patterns = Object.entries(byPath).map(([path, held]) => ({
  path: new RegExp(`^${path.replace(/\{\w+\}/g, '[^/]+')}$`),
  held,
}))

/** What has to be asked for anew after an act: says of a key whether it may have changed. What was removed is not asked for. */
export function changedBy(method: string, path: string): (key: QueryKey) => boolean {
  const [noun = '', ...names] = path
    .replace(/^\/api\/v1\//, '')
    .split('/')
    .map(decodeURIComponent)
  const held = patterns.find((p) => p.path.test(path))?.held ?? byNoun[noun as keyof typeof byNoun] ?? all
  return ([first, ...which]) => {
    const gone = method === 'DELETE' && names.length > 0 && names.every((n) => which.map(String).includes(n))
    return (
      !gone && (held === all || held.includes(first as Held) || (held.length > 0 && always.includes(first as Held)))
    )
  }
}
