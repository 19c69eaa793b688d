import { askOnly } from '../../api/kept'
import { useState } from 'react'
import { api, type ClearAnswer, take } from '../../api/client'
import { useClearings } from '../../api/history'
import { useAct } from '../../api/queries'
import { useSite } from '../../api/site'
import { clock, many } from '../../api/words'
import { useThings } from './out'
import { Columns, Failure, Prose, QuietButton, QuietLink, Scroll, Subheading, Table } from '../../ui/basics'
import { Fields, Form, Select, Send, TextInput, useSave } from '../../ui/form'

const when: Intl.DateTimeFormatOptions = {
  day: 'numeric',
  month: 'short',
  year: 'numeric',
  hour: '2-digit',
  minute: '2-digit',
}
const none = '-' // nothing is chosen yet
const stretches: Record<string, string> = {
  '': 'all readings',
  '90': 'those older than 90 days',
  '365': 'those older than 365 days',
}

/** Removes readings, and brings back those that were. */
export function Clear({ owner }: { owner: boolean }) {
  const zone = useSite().data?.zone ?? 'UTC'
  const clearings = useClearings()
  const back = useAct((id: number) => take(api.POST('/api/v1/clearings/{id}/undo', { params: { path: { id } } })))
  const list = clearings.data ?? []
  if (!owner && list.length === 0) return null
  return (
    <>
      <Subheading>Clear</Subheading>
      {owner && <Order />}
      {list.length > 0 && (
        <Scroll tabIndex={0} role="region" aria-label="What was cleared">
          <Table>
            <Columns names={['Cleared', 'Readings', 'By', 'When', 'Now']} />
            <tbody>
              {list.map((c) => (
                <tr key={c.id} data-clearing={c.state}>
                  <td>{c.what || 'all'}</td>
                  <td>{many(c.readings)}</td>
                  <td>{c.who}</td>
                  <td>{clock(Date.parse(c.ordered_at), zone, when)}</td>
                  <td>
                    {c.state === 'cleared' && owner ? (
                      <QuietButton onPress={() => back.mutate(c.id)} isDisabled={back.isPending}>
                        {`Bring them back (until ${clock(Date.parse(c.gone_at), zone, { day: 'numeric', month: 'short' })})`}
                      </QuietButton>
                    ) : (
                      {
                        running: 'going …',
                        cleared: 'cleared',
                        undoing: 'coming back …',
                        undone: 'brought back',
                        gone: 'gone',
                      }[c.state]
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
      {back.error && <Failure error={back.error} />}
    </>
  )
}

/** What to clear: first what would go, then, with the name typed where it is much, gone. */
function Order() {
  const things = useThings()
  const zone = useSite().data?.zone ?? 'UTC'
  const [what, setWhat] = useState<string>()
  const [days, setDays] = useState('')
  const [would, setWould] = useState<ClearAnswer & { until?: string }>()
  const ask = useAct(async () => {
    const until = days ? new Date(Date.now() - Number(days) * 86_400_000).toISOString() : undefined
    const body = { what: what ?? '', until, try: true }
    return { ...(await take(api.POST('/api/v1/clearings', { body, fetch: askOnly }))), until }
  })
  const clear = useSave(
    ({ confirm = '' }) =>
      take(api.POST('/api/v1/clearings', { body: { what: what ?? '', until: would?.until, confirm } })),
    undefined,
    () => setWould(undefined),
  )
  const date = (at: string) => clock(Date.parse(at), zone, when)
  if (!would)
    return (
      <>
        <Prose>Readings can be removed. Settings, guards and alarms stay. For 30 days they can be brought back.</Prose>
        <Fields>
          <Select
            label="Readings of"
            value={what ?? none}
            onChange={setWhat}
            options={{ [none]: 'which?', ...things }}
          />
          <Select label="Time span" value={days} onChange={setDays} options={stretches} />
          <QuietButton
            isDisabled={ask.isPending || what === undefined || what === none}
            onPress={() => ask.mutate(undefined, { onSuccess: setWould })}
          >
            Preview …
          </QuietButton>
        </Fields>
        {ask.error && <Failure error={ask.error} />}
      </>
    )
  const file = new URLSearchParams({ format: 'csv', values: 'raw', until: would.until ?? new Date().toISOString() })
  if (what) file.set('what', what)
  return (
    <Form save={clear}>
      {would.stamp.readings === 0 ? (
        <Prose>There is nothing to clear.</Prose>
      ) : (
        <>
          <Prose>
            {many(would.stamp.readings)} readings of {would.signals} signals would go, from {date(would.stamp.first)} to{' '}
            {date(would.stamp.last)}.
          </Prose>
          <p>
            <QuietLink href={`/api/v1/export?${file}`} download>
              Export them first
            </QuietLink>
          </p>
          {would.confirm && (
            <TextInput label={`Type ${would.confirm} to clear them`} name="confirm" autoComplete="off" />
          )}
        </>
      )}
      <Send send="Clear" off={would.stamp.readings === 0} onCancel={() => setWould(undefined)} />
    </Form>
  )
}
