import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { keyOf } from '../../api/changes'
import { type Alarm, api, type Device, pathOf, type Signal, take } from '../../api/client'
import { useDevices } from '../../api/device'
import { clock, count, fullTitle, length, sentence } from '../../api/words'
import { PlainLink, Prose, Soft } from '../../ui/basics'

const day = 86_400_000
const made =
  /^(guard|device|kit|settings|signal|total|tariff|statement|roster|contact|output|interlock|board|calibration|person|site)/

/** What is silent: devices, and of those that are heard the signals that are expected at an interval of their own. */
function silentThings(devices: Device[], signals: Signal[]) {
  const dead = devices.filter((d) => d.life === 'silent' && d.silent_since)
  return [
    ...dead.map((d) => ({ name: d.title || d.name, to: `/devices/of/${d.name}`, since: d.silent_since! })),
    ...signals
      .filter((s) => s.silent_since && s.interval > 0 && !dead.some((d) => d.name === s.device))
      .map((s) => ({ name: fullTitle(s), to: `/signals/${pathOf(s)}`, since: s.silent_since! })),
  ]
}

type Props = { signals: Signal[]; recent: Alarm[]; now: number; zone: string }

/** What is silent, and what changed since yesterday, in sentences. */
export function InWords({ signals, recent, now, zone }: Props) {
  const since = Math.floor((now - day) / 600_000) * 600_000
  const entries = useQuery({
    queryKey: keyOf('journal', 'since yesterday', since),
    queryFn: () =>
      take(api.GET('/api/v1/journal', { params: { query: { limit: 1000, since: new Date(since).toISOString() } } })),
    placeholderData: (old) => old,
    refetchInterval: 60_000,
  }).data
  const over = recent.filter((a) => a.cleared_at && Date.parse(a.cleared_at) >= since && !a.drill)
  const lasted = (a: Alarm) => Date.parse(a.cleared_at!) - Date.parse(a.raised_at)
  const longest = [...over].sort((a, b) => lasted(b) - lasted(a))[0]
  const changes = (entries ?? []).filter((e) => e.who && e.who !== 'the service' && made.test(e.kind))
  const people = [...new Set(changes.map((e) => e.who))]
  const silent = silentThings(useDevices().data ?? [], signals)
  return (
    <div data-in-words>
      {silent.length > 0 && (
        <Prose>
          {silent.length === 1 ? 'Silent: ' : `${count(silent.length)} are silent: `}
          {silent.map((s, i) => (
            <span key={s.to}>
              {i > 0 && ', '}
              <PlainLink href={s.to}>{s.name}</PlainLink>{' '}
              <Soft>
                since{' '}
                {clock(
                  s.since,
                  zone,
                  now - Date.parse(s.since) > 18 * 3600_000
                    ? { weekday: 'short', hour: '2-digit', minute: '2-digit' }
                    : undefined,
                )}
              </Soft>
            </span>
          ))}
          .
        </Prose>
      )}
      <Prose>
        Since yesterday{' '}
        {over.length === 0 ? (
          'no alarm came and went'
        ) : (
          <>
            {over.length === 1 ? 'one alarm' : `${count(over.length).toLowerCase()} alarms`} came and went
            {longest && (
              <>
                , the longest <PlainLink href={`/alarms/${longest.id}`}>{sentence(longest)}</PlainLink>{' '}
                <Soft>for {length(lasted(longest))}</Soft>
              </>
            )}
          </>
        )}
        {entries &&
          (changes.length === 0
            ? '; nothing was changed.'
            : `; ${people.length > 2 ? `${people.length} people` : people.join(' and ')} changed ${changes.length === 1 ? 'one thing' : `${count(changes.length).toLowerCase()} things`}.`)}{' '}
        {changes.length > 0 && <Link to="/journal">The journal tells each.</Link>}
      </Prose>
    </div>
  )
}
