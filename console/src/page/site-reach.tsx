import { useState } from 'react'
import { api, take } from '../api/client'
import { useSession, useSite } from '../api/queries'
import { listOf, useReach, useReachAct } from '../api/reach'
import { clock } from '../api/words'
import { Button, Failure, Prose, Row, Soft, Subheading } from '../ui/basics'
import { Form, Written } from '../ui/form'

const seconds: Intl.DateTimeFormatOptions = { hour: '2-digit', minute: '2-digit', second: '2-digit' }

/** Who watches the watcher: what the site itself tells, and to whom. */
export function SiteReach() {
  const reach = useReach().data
  if (!reach) return null
  return <ReachForm key={JSON.stringify([reach.tell, reach.heartbeat, reach.quiet_word])} reach={reach} />
}

function ReachForm({ reach }: { reach: NonNullable<ReturnType<typeof useReach>['data']> }) {
  const owner = useSession().data?.role === 'owner'
  const zone = useSite().data?.zone ?? 'UTC'
  const [tell, setTell] = useState((reach.tell ?? []).join(', '))
  const [url, setURL] = useState(reach.heartbeat?.url ?? '')
  const [every, setEvery] = useState(reach.heartbeat?.every ?? '5m')
  const [quietTo, setQuietTo] = useState(reach.quiet_word?.to ?? '')
  const [quietAt, setQuietAt] = useState(reach.quiet_word?.at ?? '08:00')
  const save = useReachAct(() =>
    take(
      api.PUT('/api/v1/site/reach', {
        body: {
          tell: listOf(tell),
          templates: reach.templates ?? [],
          ...(reach.flood ? { flood: reach.flood } : {}),
          ...(url ? { heartbeat: { url, every } } : {}),
          ...(quietTo ? { quiet_word: { to: quietTo, at: quietAt } } : {}),
        },
      }),
    ),
  )
  const heart = reach.heart.bad
    ? `the last one was not taken: ${reach.heart.bad}`
    : reach.heart.ok_at
      ? `last taken at ${clock(reach.heart.ok_at, zone, seconds)}`
      : 'not taken yet'
  return (
    <>
      <Subheading>Who watches the watcher</Subheading>
      <Prose>
        {reach.heartbeat
          ? `A heartbeat goes to ${reach.heartbeat.url} every ${reach.heartbeat.every}; ${heart}.`
          : 'There is no heartbeat: nobody outside would notice if the service stood still.'}{' '}
        {reach.quiet_word &&
          `${reach.quiet_word.to} hears at ${reach.quiet_word.at} that all is quiet, or what stands.`}
      </Prose>
      {owner && (
        <Form
          onSubmit={(e) => {
            e.preventDefault()
            save.mutate(undefined)
          }}
        >
          <Written
            label="What concerns the service itself is told to"
            value={tell}
            onChange={setTell}
            hint="rosters, contacts, e-mail addresses; the owners when left empty"
          />
          <Written label="Heartbeat to" value={url} onChange={setURL} hint="an address outside; empty for none" />
          <Written label="Heartbeat every" value={every} onChange={setEvery} />
          <Written
            label="A word once a day to"
            value={quietTo}
            onChange={setQuietTo}
            hint="a contact; empty for nobody"
          />
          <Written label="The word comes at" value={quietAt} onChange={setQuietAt} />
          <Row>
            <Button type="submit" isDisabled={save.isPending}>
              Keep this
            </Button>
            {save.isSuccess && <Soft role="status">Kept.</Soft>}
          </Row>
          {save.error && <Failure error={save.error} />}
        </Form>
      )}
    </>
  )
}
