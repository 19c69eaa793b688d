import { api } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { useReach, useSession, useSite } from '../../api/site'
import { clock, inWords } from '../../api/words'
import { Prose, Subheading } from '../../ui/basics'
import { Changing, type SaveUnder } from '../../ui/changing'
import { Form, Send, useSave, Written } from '../../ui/form'
import { ListField } from '../../ui/list-field'

const seconds: Intl.DateTimeFormatOptions = { hour: '2-digit', minute: '2-digit', second: '2-digit' }

type Reach = NonNullable<ReturnType<typeof useReach>['data']>

/** Who watches the watcher: what the site itself tells, and to whom. */
export function SiteReach() {
  const reach = useReach().data
  const owner = useSession().data?.role === 'owner'
  if (!reach) return null
  return (
    <>
      <Subheading>Watching the service</Subheading>
      <HowItIs reach={reach} />
      {owner && (
        <Changing of="site reach" look={() => api.GET('/api/v1/site/reach')} kept={reach}>
          {(begun, save) => <ReachForm reach={begun} saveUnder={save} />}
        </Changing>
      )}
    </>
  )
}

function HowItIs({ reach }: { reach: Reach }) {
  const zone = useSite().data?.zone ?? 'UTC'
  const heart = reach.heart.bad
    ? `the last one was not taken: ${reach.heart.bad}`
    : reach.heart.ok_at
      ? `last taken at ${clock(reach.heart.ok_at, zone, seconds)}`
      : 'not taken yet'
  return (
    <Prose>
      {reach.heartbeat
        ? `A heartbeat goes to ${reach.heartbeat.url} every ${inWords(reach.heartbeat.every)}; ${heart}.`
        : 'There is no heartbeat: nobody outside would notice if the service stood still.'}{' '}
      {reach.quiet_word && `${reach.quiet_word.to} hears at ${reach.quiet_word.at} that all is quiet, or what stands.`}
    </Prose>
  )
}

function ReachForm({ reach, saveUnder }: { reach: Reach; saveUnder: SaveUnder }) {
  const [d, setDraft, unsaved] = useDraft('site reach', {
    tell: reach.tell ?? [],
    url: reach.heartbeat?.url ?? '',
    every: reach.heartbeat?.every ?? '5m',
    quietTo: reach.quiet_word?.to ?? '',
    quietAt: reach.quiet_word?.at ?? '08:00',
  })
  const set = (change: Partial<typeof d>) => setDraft((old) => ({ ...old, ...change }))
  const save = useSave(
    () =>
      saveUnder((header) =>
        api.PUT('/api/v1/site/reach', {
          params: { header },
          body: {
            tell: d.tell,
            templates: reach.templates ?? [],
            ...(reach.flood ? { flood: reach.flood } : {}),
            ...(d.url ? { heartbeat: { url: d.url, every: d.every } } : {}),
            ...(d.quietTo ? { quiet_word: { to: d.quietTo, at: d.quietAt } } : {}),
          },
        }),
      ),
    unsaved,
  )
  return (
    <Form unsaved={unsaved} save={save}>
      <ListField
        label="Tell of faults of the service"
        value={d.tell}
        onChange={(tell) => set({ tell })}
        hint="rosters, contacts, e-mail addresses; the owners when empty"
      />
      <Written
        label="Heartbeat to"
        value={d.url}
        onChange={(url) => set({ url })}
        hint="an address outside; none when empty"
      />
      <Written label="Heartbeat every" value={inWords(d.every)} onChange={(every) => set({ every })} />
      <Written
        label="Daily message to"
        value={d.quietTo}
        onChange={(quietTo) => set({ quietTo })}
        hint="a contact; nobody when empty"
      />
      <Written label="Daily message at" value={d.quietAt} onChange={(quietAt) => set({ quietAt })} />
      <Send send="Save" sent="Saved." />
    </Form>
  )
}
