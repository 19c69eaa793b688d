import styled from 'styled-components'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { keyOf } from '../../api/changes'
import { api, type StandinMessage, take } from '../../api/client'
import { type Carrier, carriers } from '../../api/people'
import { useAct } from '../../api/queries'
import { useSession, useSite } from '../../api/site'
import { clock } from '../../api/words'
import {
  Above,
  AsWritten,
  Failure,
  Heading,
  Picture,
  PlainLink,
  Prose,
  QuietButton,
  Row,
  Soft,
  Subheading,
  Well,
} from '../../ui/basics'
import { Fields, Select } from '../../ui/form'
import { NoPage } from '../../ui/no-page'

const Message = styled(AsWritten)`
  max-height: 260px;
  overflow-y: auto;
`

const seconds: Intl.DateTimeFormatOptions = { hour: '2-digit', minute: '2-digit', second: '2-digit' }
const faults = {
  '': 'works',
  refuse: 'refuses for now',
  reject: 'refuses for good',
  'time-out': 'never answers',
  slow: 'answers slowly',
  'no-receipts': 'loses receipts',
  fail: 'takes it, and it does not arrive',
}

/** What the demo's stand-ins received, and how they are told to fail. */
export function StandIns() {
  const zone = useSite().data?.zone ?? 'UTC'
  const keeper = useSession().data?.role !== 'viewer'
  const [shown, setShown] = useState('')
  const inbox = useQuery({
    queryKey: keyOf('standin', 'inbox'),
    queryFn: () => take(api.GET('/api/v1/standin/inbox')),
    refetchInterval: 2_000,
    retry: false,
  })
  const failing = useQuery({
    queryKey: keyOf('standin', 'faults'),
    queryFn: () => take(api.GET('/api/v1/standin/faults')),
    retry: false,
  })
  const fail = useAct(({ carrier, how }: { carrier: string; how: string }) =>
    take(api.PUT('/api/v1/standin/faults/{carrier}', { params: { path: { carrier } }, body: { how } })),
  )
  if (inbox.error) return <NoPage error={inbox.error} />
  const messages = (inbox.data ?? [])
    .filter((m) => !shown || m.carrier === shown)
    .slice(-60)
    .reverse()
  return (
    <>
      <title>Stand-ins · Jaunty Lark</title>
      <Above>
        <PlainLink href="/rosters">Rosters and contacts</PlainLink>
      </Above>
      <Heading>Stand-ins</Heading>
      <Prose>
        In the demo nothing leaves this machine: small stand-ins take the place of mail server, gateways and push
        service.
      </Prose>
      {keeper && (
        <Fields>
          {(Object.keys(carriers) as Carrier[]).map((c) => (
            <Select
              key={c}
              label={carriers[c]}
              value={failing.data?.[c] ?? ''}
              onChange={(how) => fail.mutate({ carrier: c, how })}
              options={faults}
            />
          ))}
        </Fields>
      )}
      {fail.error && <Failure error={fail.error} />}
      <Subheading>Messages received</Subheading>
      <Fields>
        <Select label="By" value={shown} onChange={setShown} options={{ '': 'any way', ...carriers }} />
      </Fields>
      {messages.length === 0 && <Prose>Nothing yet.</Prose>}
      {messages.map((m) => (
        <Received key={m.id} message={m} zone={zone} keeper={keeper} />
      ))}
    </>
  )
}

function Received({ message: m, zone, keeper }: { message: StandinMessage; zone: string; keeper: boolean }) {
  const [open, setOpen] = useState(false)
  const whole = useQuery({
    queryKey: keyOf('standin', 'message', m.id),
    queryFn: () => take(api.GET('/api/v1/standin/inbox/{id}', { params: { path: { id: m.id } } })),
    enabled: open,
  })
  const reply = useAct((answer: string) =>
    take(api.POST('/api/v1/standin/inbox/{id}/reply', { params: { path: { id: m.id } }, body: { answer } })),
  )
  const answers = m.carrier === 'text' || m.carrier === 'voice'
  return (
    <Well>
      <Soft>
        {clock(m.received_at, zone, seconds)} · {carriers[m.carrier as Carrier]} to{' '}
        {m.carrier === 'push' ? 'a browser' : m.to}
      </Soft>
      {m.subject && (
        <div>
          <b>{m.subject}</b>
        </div>
      )}
      <Message tabIndex={0} role="region" aria-label={`Message ${m.id}`}>
        {m.text.trim()}
      </Message>
      {whole.data?.picture && (
        <Picture src={`data:image/png;base64,${whole.data.picture}`} alt="The chart in the mail" />
      )}
      <Row $above={2}>
        {keeper && answers && (
          <QuietButton onPress={() => reply.mutate('1')} isDisabled={reply.isPending}>
            {m.carrier === 'voice' ? 'Press 1' : 'Reply 1'}
          </QuietButton>
        )}
        {m.carrier === 'e-mail' && !open && <QuietButton onPress={() => setOpen(true)}>Show the chart</QuietButton>}
        {reply.isSuccess && <Soft role="status">Answered.</Soft>}
      </Row>
      {reply.error && <Failure error={reply.error} />}
    </Well>
  )
}
