import { type Query, QueryClient, useMutation, useQuery } from '@tanstack/react-query'
import { api, type Alarm, pathOf, Problem, type Signal, take } from './client'
import { onSessionEnded } from './kept'
import { byUrgency } from './words'

export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      retry: (count, error) => count < 3 && !(error instanceof Problem && error.status < 500),
      refetchOnWindowFocus: false,
    },
  },
})

export const useSession = () =>
  useQuery({
    queryKey: ['session'],
    queryFn: () => take(api.GET('/api/v1/session')),
    staleTime: Infinity,
    retry: false,
  })
/** Nobody is signed in any more: what was shown goes, and signing in comes. */
export function sessionEnded() {
  if (!queries.getQueryData(['session'])) return
  queries.removeQueries({ predicate: (q) => q.queryKey[0] !== 'session' })
  void queries.resetQueries({ queryKey: ['session'] })
}
onSessionEnded(sessionEnded)

export const useSite = () =>
  useQuery({ queryKey: ['site'], queryFn: () => take(api.GET('/api/v1/site')), staleTime: Infinity })
export const useUnits = () =>
  useQuery({ queryKey: ['units'], queryFn: () => take(api.GET('/api/v1/units')), staleTime: Infinity })
const at = (device: string, signal: string) => ({ params: { path: { device, signal } } })
export const useTrust = (device: string, signal: string) =>
  useQuery({
    queryKey: ['trust', device, signal],
    queryFn: () => take(api.GET('/api/v1/signals/{device}/{signal}/trust', at(device, signal))),
  })
export const useRecipe = (device: string, signal: string) =>
  useQuery({
    queryKey: ['recipe', device, signal],
    queryFn: () => take(api.GET('/api/v1/signals/{device}/{signal}/recipe', at(device, signal))),
  })
export const useRecipeKinds = () =>
  useQuery({ queryKey: ['recipe-kinds'], queryFn: () => take(api.GET('/api/v1/recipe-kinds')), staleTime: Infinity })
export const useTariffs = () =>
  useQuery({ queryKey: ['tariffs'], queryFn: () => take(api.GET('/api/v1/tariffs')), staleTime: 10_000 })
/** What is still to be computed anew of a signal; asked for until all is. */
export const useWork = (device: string, signal: string) =>
  useQuery({
    queryKey: ['work', device, signal],
    queryFn: () => take(api.GET('/api/v1/signals/{device}/{signal}/work', at(device, signal))),
    refetchInterval: (query) => (query.state.data?.left ? 500 : false),
  })
export const useTotals = () =>
  useQuery({ queryKey: ['totals'], queryFn: () => take(api.GET('/api/v1/totals')), refetchInterval: 10_000 })
export const useTotal = (total: string, by: 'day' | 'week' | 'month') =>
  useQuery({
    queryKey: ['totals', total, by],
    queryFn: () => take(api.GET('/api/v1/totals/{total}', { params: { path: { total }, query: { by } } })),
    refetchInterval: 10_000,
  })

export const useSignals = () =>
  useQuery({ queryKey: ['signals'], queryFn: () => signals.list(() => take(api.GET('/api/v1/signals'))) })
const sparks = {
  queryKey: ['sparks'],
  queryFn: () => take(api.GET('/api/v1/sparks', { params: { query: { columns: 120 } } })),
  refetchInterval: 5 * 60_000,
}
/** One signal; a page that shows it is drawn anew when it changes, and not when another does. */
export const useSignal = (path: string) =>
  useQuery({
    queryKey: ['signals'],
    queryFn: () => signals.list(() => take(api.GET('/api/v1/signals'))),
    select: (all) => all.find((s) => pathOf(s) === path),
  }).data
/** Several signals, in the order of their paths; those that are not there are left out. */
export const useSignalsOf = (paths: string[]) =>
  useQuery({
    queryKey: ['signals'],
    queryFn: () => signals.list(() => take(api.GET('/api/v1/signals'))),
    select: (all) => paths.flatMap((path) => all.find((s) => pathOf(s) === path) ?? []),
  }).data
/** What is known of a signal, without what it reads at the moment. */
export type Facts = Pick<
  Signal,
  'id' | 'device' | 'device_title' | 'name' | 'title' | 'unit' | 'kind' | 'bands' | 'step' | 'span_low' | 'span_high'
>
const factsOf = (s: Signal): Facts => {
  const { id, device, device_title, name, title, unit, kind, bands, step, span_low, span_high } = s
  return { id, device, device_title, name, title, unit, kind, bands, step, span_low, span_high }
}
/** Facts of several signals; they stay the same while values change. */
export const useFactsOf = (paths: string[]) =>
  useQuery({
    queryKey: ['signals'],
    queryFn: () => signals.list(() => take(api.GET('/api/v1/signals'))),
    select: (all) => paths.flatMap((path) => all.filter((s) => pathOf(s) === path).map(factsOf)),
  }).data
/** The worst alarm that stands about a signal. */
export const useWorst = (path: string) =>
  useQuery({
    queryKey: ['standing'],
    queryFn: listStanding,
    select: (all) => [...all].filter((a) => a.signal === path).sort(byUrgency)[0],
  }).data
export const useSpark = (path: string) =>
  useQuery({ ...sparks, select: (all) => all?.find((s) => s.signal === path) }).data
export const useSparks = () => useQuery(sparks)
export const useGuards = () => useQuery({ queryKey: ['guards'], queryFn: () => take(api.GET('/api/v1/guards')) })

/** The newest alarms, standing or over; the live stream keeps them new. */
export const useAlarms = () =>
  useQuery({
    queryKey: ['alarms'],
    queryFn: () => alarms.list(() => take(api.GET('/api/v1/alarms', { params: { query: { all: true, limit: 200 } } }))),
  })

/** The alarms that stood at an instant or later, of those that `of` picks. The newest ones are kept live. */
export function useAlarmsSince(since: number, of: (a: Alarm) => boolean) {
  const recent = useAlarms().data ?? []
  const day = 86_400_000
  const from = Math.floor(since / day) * day
  const oldest = recent.length < 200 ? 0 : Math.min(...recent.map((a) => Date.parse(a.raised_at)))
  const past = useQuery({
    queryKey: ['alarms since', from],
    queryFn: () =>
      take(
        api.GET('/api/v1/alarms', {
          params: { query: { all: true, limit: 1000, since: new Date(from).toISOString() } },
        }),
      ),
    enabled: oldest > since,
    staleTime: 5 * 60_000,
  }).data
  const byID = new Map([...(past ?? []), ...recent].map((a) => [a.id, a]))
  return [...byID.values()].filter((a) => of(a) && (!a.cleared_at || Date.parse(a.cleared_at) >= since))
}

const listStanding = () => standing.list(() => take(api.GET('/api/v1/alarms', { params: { query: { limit: 1000 } } })))

/** Standing alarms, however many newer ones are over. */
export const useStanding = () =>
  useQuery({
    queryKey: ['standing'],
    queryFn: listStanding,
  })

export const useAlarm = (id: number) =>
  useQuery({
    queryKey: ['alarm', id],
    queryFn: () => take(api.GET('/api/v1/alarms/{id}', { params: { path: { id } } })),
    // How far it went and who was told move on without a change of the alarm itself.
    refetchInterval: (query) => (query.state.data?.state === 'raised' ? 10_000 : false),
  })

// How a device lives is not on the live stream, so it is asked for.
const lifeEvery = 3_000

export const useDevices = () =>
  useQuery({ queryKey: ['devices'], queryFn: () => take(api.GET('/api/v1/devices')), refetchInterval: lifeEvery })

export const useDevice = (device: string, every = lifeEvery) =>
  useQuery({
    queryKey: ['device', device],
    queryFn: () => take(api.GET('/api/v1/devices/{device}', { params: { path: { device } } })),
    refetchInterval: every,
  })

export const useCode = (device: string) =>
  useQuery({
    queryKey: ['device', device, 'code'],
    queryFn: () => take(api.GET('/api/v1/devices/{device}/code', { params: { path: { device } } })),
  })

export const useArrivals = () =>
  useQuery({ queryKey: ['arrivals'], queryFn: () => take(api.GET('/api/v1/arrivals')), refetchInterval: lifeEvery })

export const useEnrolment = () =>
  useQuery({ queryKey: ['enrolment'], queryFn: () => take(api.GET('/api/v1/enrolment')) })

export const useKits = () => useQuery({ queryKey: ['kits'], queryFn: () => take(api.GET('/api/v1/kits')) })

export const useKitChanges = (kit: string) =>
  useQuery({
    queryKey: ['kits', kit, 'changes'],
    queryFn: () => take(api.GET('/api/v1/kits/{kit}/changes', { params: { path: { kit } } })),
  })

export const useStorage = () =>
  useQuery({ queryKey: ['storage'], queryFn: () => take(api.GET('/api/v1/storage')), refetchInterval: 15_000 })

export const useClearings = () =>
  useQuery({
    queryKey: ['clearings'],
    queryFn: () => take(api.GET('/api/v1/clearings')),
    // What is carried out moves on by itself.
    refetchInterval: (query) => (query.state.data?.some((c) => c.state.endsWith('ing')) ? 1000 : false),
  })

/** Does something about what is stored, and asks anew for what it may have changed. */
export const useHistoryAct = <In, Out>(act: (input: In) => Promise<Out>) =>
  useMutation({
    mutationFn: act,
    onSuccess: () => {
      for (const what of ['storage', 'clearings', 'signals', 'site', 'sparks'])
        void queries.invalidateQueries({ queryKey: [what] })
    },
  })

/** Does something about how a signal is believed, and asks anew for all that it may have changed. */
export const useTrustAct = <In, Out>(act: (input: In) => Promise<Out>) =>
  useMutation({
    mutationFn: act,
    onSuccess: () => {
      for (const what of [
        'trust',
        'recipe',
        'signals',
        'work',
        'line',
        'doubts',
        'totals',
        'tariffs',
        'alarms',
        'standing',
      ])
        void queries.invalidateQueries({ queryKey: [what] })
    },
  })

/** Does something about devices, and asks anew for all that it may have changed. */
export const useAct = <In, Out>(act: (input: In) => Promise<Out>) =>
  useMutation({
    mutationFn: act,
    onSuccess: () => {
      for (const what of ['devices', 'device', 'arrivals', 'kits', 'enrolment', 'signals'])
        void queries.invalidateQueries({ queryKey: [what] })
    },
  })

/** Does something to one alarm, and shows it as it is then. */
export const useAlarmAct = <In>(act: (input: In) => Promise<Alarm>) =>
  useMutation({ mutationFn: act, onSuccess: (alarm) => takeAlarms([alarm]) })

export const useAcknowledge = () =>
  useAlarmAct((id: number) => take(api.POST('/api/v1/alarms/{id}/acknowledge', { params: { path: { id } } })))

/** Does something to a guard or a trial, and asks anew for all that it may have changed. */
export const useGuardAct = <In, Out>(act: (input: In) => Promise<Out>, { removes = false } = {}) =>
  useMutation({
    mutationFn: act,
    onSuccess: () => {
      for (const what of ['guards', 'trials', 'alarms', 'standing', 'alarm', 'signals'])
        void queries.invalidateQueries({ queryKey: [what] })
      if (!removes) void queries.invalidateQueries({ queryKey: ['record'] }) // one that is gone has none
    },
  })
export const useRecord = (guard: string) =>
  useQuery({
    queryKey: ['record', guard],
    queryFn: () => take(api.GET('/api/v1/guards/{guard}/record', { params: { path: { guard } } })),
    enabled: guard !== '',
  })
export const useLimits = (device: string, signal: string, asked: boolean) =>
  useQuery({
    queryKey: ['limits', device, signal],
    queryFn: () => take(api.GET('/api/v1/signals/{device}/{signal}/limits', at(device, signal))),
    enabled: asked,
    staleTime: 5 * 60_000,
  })
export const useTrials = () =>
  useQuery({ queryKey: ['trials'], queryFn: () => take(api.GET('/api/v1/trials')), refetchInterval: 10_000 })
export const useSuggestion = (id: number, stamp: string) =>
  useQuery({
    queryKey: ['trials', id, 'suggestion', stamp],
    queryFn: () => take(api.GET('/api/v1/trials/{id}/suggestion', { params: { path: { id } } })),
  })
export const useHealth = (days: number) =>
  useQuery({
    queryKey: ['health', days],
    queryFn: () =>
      take(
        api.GET('/api/v1/alarm-health', {
          params: { query: { since: new Date(Date.now() - days * 86_400_000).toISOString() } },
        }),
      ),
  })

/** A list that the live stream keeps new. An answer that was under way while the stream told something may
 *  be older than that, so what was told meanwhile goes before it. */
class LiveList<T extends { id: number }> {
  private told: { turn: number; item: T }[] = []
  private turn = 0
  private underWay = 0

  constructor(
    private readonly key: string,
    private readonly order: (a: T, b: T) => number,
    private readonly keep: (item: T) => boolean = () => true,
  ) {}

  /** Asks for the list. */
  async list(ask: () => Promise<T[] | null>) {
    const begun = this.turn
    this.underWay++
    try {
      const items = (await ask()) ?? []
      return this.merge(
        items,
        this.told.filter((t) => t.turn > begun).map((t) => t.item),
      )
    } finally {
      if (--this.underWay === 0) this.told = []
    }
  }

  /** Takes in items as they are now. */
  tell(items: T[]) {
    this.turn++
    if (this.underWay > 0) this.told.push(...items.map((item) => ({ turn: this.turn, item })))
    queries.setQueryData<T[]>([this.key], (old) => old && this.merge(old, items))
  }

  private merge(old: T[], items: T[]) {
    const byID = new Map(old.map((item) => [item.id, item]))
    for (const item of items) byID.set(item.id, item)
    return [...byID.values()].filter(this.keep).sort(this.order)
  }
}

const newestFirst = (a: Alarm, b: Alarm) => b.id - a.id
const signals = new LiveList<Signal>('signals', (a, b) => a.device.localeCompare(b.device) || a.id - b.id)
const alarms = new LiveList<Alarm>('alarms', newestFirst)
const standing = new LiveList<Alarm>('standing', newestFirst, (a) => a.state === 'raised')

/** Asks for what is shown anew. An answer that is on its way for the first time may be older than the stream: the library takes it
 *  for the new one, so it is asked for once more when it has come. */
export function askAnew(predicate: (q: Query) => boolean) {
  const early = queries
    .getQueryCache()
    .findAll({ fetchStatus: 'fetching', predicate: (q) => q.state.data === undefined && predicate(q) })
  void queries.invalidateQueries({ predicate })
  for (const q of early) {
    const again = () => void queries.invalidateQueries({ queryKey: q.queryKey, exact: true })
    q.promise?.then(again, again)
  }
}

/** Puts signals as they are now into what is shown. */
export const takeSignals = (changed: Signal[]) => signals.tell(changed)

/** Puts alarms as they are now into what is shown. */
export function takeAlarms(changed: Alarm[]) {
  alarms.tell(changed)
  standing.tell(changed)
  for (const a of changed) void queries.invalidateQueries({ queryKey: ['alarm', a.id] })
}
