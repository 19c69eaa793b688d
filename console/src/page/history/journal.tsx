import { useInfiniteQuery } from '@tanstack/react-query'
import { Form } from 'react-aria-components'
import { useSearchParams } from 'react-router'
import { keyOf } from '../../api/changes'
import { api, takePage } from '../../api/client'
import { useDevices } from '../../api/device'
import { useNow } from '../../api/live'
import { useSite } from '../../api/site'
import { age, clock, length } from '../../api/words'
import {
  Brief,
  Button,
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
import { Fields, fieldsOf, Pick, TextInput } from '../../ui/form'
import { Shape } from '../../ui/severity'

const page = 100
const kinds = [
  'alarm',
  'guard',
  'device',
  'signal',
  'trial',
  'settings',
  'key',
  'total',
  'kit',
  'site',
  'output',
  'interlock',
  'all outputs',
]
const severities = ['advisory', 'warning', 'critical'] as const
type Severity = (typeof severities)[number]

/** Everything that happened, newest first; what is asked for stands in the address. */
export function Journal() {
  const [query, setQuery] = useSearchParams()
  const zone = useSite().data?.zone ?? 'UTC'
  const now = useNow()
  const devices = useDevices().data ?? []
  const asked = Object.fromEntries(query)
  const entries = useInfiniteQuery({
    queryKey: keyOf('journal', asked),
    initialPageParam: '',
    queryFn: ({ pageParam }) =>
      takePage(
        api.GET('/api/v1/journal', {
          params: {
            query: {
              limit: page,
              ...(pageParam ? { cursor: pageParam } : {}),
              ...(asked.words ? { words: asked.words } : {}),
              ...(asked.device ? { device: asked.device } : {}),
              ...(asked.kind ? { kind: asked.kind } : {}),
              ...(asked.severity ? { severity: asked.severity as Severity } : {}),
            },
          },
        }),
      ),
    getNextPageParam: (last) => last.next,
    refetchInterval: 15_000,
  })
  const all = entries.data?.pages.flatMap((p) => p.list) ?? []
  const day: Intl.DateTimeFormatOptions = {
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
    second: '2-digit',
  }
  return (
    <>
      <title>Journal · Jaunty Lark</title>
      <Heading>Journal</Heading>
      <Form
        aria-label="Search the journal"
        key={query.toString()}
        onSubmit={(e) => {
          e.preventDefault()
          setQuery(fieldsOf(e.currentTarget))
        }}
      >
        <Fields $above={3}>
          <TextInput label="Search for" name="words" optional defaultValue={asked.words} autoComplete="off" />
          <Pick
            label="Device"
            name="device"
            none="any"
            defaultValue={asked.device}
            options={devices.map((d) => ({ value: d.name, text: d.title || d.name }))}
            key={devices.length}
          />
          <Pick
            label="Kind"
            name="kind"
            none="anything"
            defaultValue={asked.kind}
            options={kinds.map((k) => ({ value: k, text: k }))}
          />
          <Pick
            label="Severity"
            name="severity"
            none="any"
            defaultValue={asked.severity}
            options={severities.map((s) => ({ value: s, text: s }))}
          />
          <Button type="submit">Search</Button>
        </Fields>
      </Form>
      {entries.error && <Failure error={entries.error} />}
      {entries.isPending && <Soft>Looking …</Soft>}
      {entries.data && all.length === 0 && <Prose>Nothing like that has happened.</Prose>}
      {all.length > 0 && (
        <Scroll>
          <Table>
            <Columns names={['At', 'Ago', 'Lasted', 'About', 'What']} />
            <tbody>
              {all.map((e) => (
                <tr key={e.id}>
                  <Brief>{clock(e.at, zone, day)}</Brief>
                  <Brief>
                    <Soft>{age(e.at, now)}</Soft>
                  </Brief>
                  <td>{e.lasted != null ? length(e.lasted * 1000) : ''}</td>
                  <td>
                    {e.severity && <Shape of={e.severity as Severity} />} {e.kind}
                  </td>
                  <Wordy>
                    {e.alarm_id ? <PlainLink href={`/alarms/${e.alarm_id}`}>{e.text}</PlainLink> : e.text}
                    {e.who && !e.text.startsWith(e.who) && <Soft> · {e.who}</Soft>}
                  </Wordy>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
      {entries.hasNextPage && (
        <Row $above={4}>
          <QuietButton onPress={() => void entries.fetchNextPage()} isDisabled={entries.isFetchingNextPage}>
            Show older
          </QuietButton>
        </Row>
      )}
    </>
  )
}
