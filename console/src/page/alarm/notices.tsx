import { useInfiniteQuery } from '@tanstack/react-query'
import { Fragment } from 'react'
import { useSearchParams } from 'react-router'
import { type NoticeFilter, takeNotices } from '../../api/alarm'
import { keyOf } from '../../api/changes'
import type { Notice } from '../../api/client'
import { type Carrier, carriers, useContacts } from '../../api/people'
import { useSite } from '../../api/site'
import { clock } from '../../api/words'
import {
  Above,
  Brief,
  Columns,
  Failure,
  Heading,
  PlainLink,
  Prose,
  QuietButton,
  Row,
  Scroll,
  Soft,
  Table,
  Wordy,
} from '../../ui/basics'
import { Fields, Select } from '../../ui/form'

const moment: Intl.DateTimeFormatOptions = {
  day: 'numeric',
  month: 'short',
  hour: '2-digit',
  minute: '2-digit',
  second: '2-digit',
}
const seconds: Intl.DateTimeFormatOptions = { hour: '2-digit', minute: '2-digit', second: '2-digit' }
const states = {
  '': 'all',
  waiting: 'waiting',
  'given up': 'given up',
  held: 'held back',
  sent: 'sent',
  delivered: 'delivered',
  'summed up': 'told in a summary',
}

/** What was sent to whom, each attempt, and what became of it. */
export function Notices() {
  const [query, setQuery] = useSearchParams()
  const zone = useSite().data?.zone ?? 'UTC'
  const contacts = useContacts().data ?? []
  const asked = Object.fromEntries([...query].filter(([, v]) => v)) as NoticeFilter
  const notices = useInfiniteQuery({
    queryKey: keyOf('notices', asked),
    initialPageParam: '',
    queryFn: ({ pageParam }) => takeNotices({ ...asked, ...(pageParam ? { cursor: pageParam } : {}) }),
    getNextPageParam: (last) => last.next,
    refetchInterval: 5_000,
  })
  const all = notices.data?.pages.flatMap((p) => p.list) ?? []
  const choose = (key: string) => (value: string) => {
    const next = new URLSearchParams(query)
    if (value) next.set(key, value)
    else next.delete(key)
    setQuery(next, { replace: true })
  }
  return (
    <>
      <title>Notices · Jaunty Lark</title>
      <Above>
        <PlainLink href="/rosters">Rosters and contacts</PlainLink>
      </Above>
      <Heading>Notices</Heading>
      <Fields $above={4}>
        <Select label="State" value={query.get('state') ?? ''} onChange={choose('state')} options={states} />
        <Select
          label="To"
          value={query.get('contact') ?? ''}
          onChange={choose('contact')}
          options={{ '': 'anybody', ...Object.fromEntries(contacts.map((c) => [c.name, c.title || c.name])) }}
        />
        <Select
          label="By"
          value={query.get('carrier') ?? ''}
          onChange={choose('carrier')}
          options={{ '': 'any way', ...carriers }}
        />
      </Fields>
      {notices.error && <Failure error={notices.error} />}
      {notices.data && all.length === 0 && <Prose>There is nothing of the kind.</Prose>}
      {all.length > 0 && (
        <Scroll tabIndex={0} role="region" aria-label="Notices">
          <Table>
            <Columns names={['Planned', 'To', 'Message', 'State']} />
            <tbody>
              {all.map((n) => (
                <NoticeRow key={n.id} notice={n} zone={zone} />
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
      {notices.hasNextPage && (
        <Row $above={3}>
          <QuietButton onPress={() => void notices.fetchNextPage()} isDisabled={notices.isFetching}>
            Show older
          </QuietButton>
        </Row>
      )}
    </>
  )
}

const NoticeRow = ({ notice: n, zone }: { notice: Notice; zone: string }) => (
  <tr>
    <Brief>{clock(n.created_at, zone, moment)}</Brief>
    <Wordy>
      {n.contact || n.to}
      <br />
      <Soft>
        {carriers[n.carrier as Carrier] ?? n.carrier}
        {n.why && `, ${n.why}`}
      </Soft>
    </Wordy>
    <Wordy>{n.alarm_id ? <PlainLink href={`/alarms/${n.alarm_id}`}>{firstLine(n)}</PlainLink> : firstLine(n)}</Wordy>
    <Wordy>
      {n.state}
      {n.state === 'held' && ` for ${n.held}, until ${clock(n.due_at, zone, seconds)}`}
      {n.deliveries.map((d) => (
        <Fragment key={d.at + d.answer}>
          <br />
          <Soft>
            {clock(d.at, zone, seconds)} {d.ok ? '' : '! '}
            {d.answer}
          </Soft>
        </Fragment>
      ))}
      {n.advice && (
        <>
          <br />
          <b>What to do.</b> {n.advice}
        </>
      )}
    </Wordy>
  </tr>
)

const firstLine = (n: Notice) => n.subject || n.text.split('\n')[0]
