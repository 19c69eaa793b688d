import { useState } from 'react'
import { useNavigate, useParams } from 'react-router'
import { api, type Statement, take } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { listOf } from '../../api/people'
import { useAct } from '../../api/queries'
import { useSession, useSite } from '../../api/site'
import { useSheet, useStatements } from '../../api/total'
import { clock, counted } from '../../api/words'
import { Bar, BarCell } from '../../ui/bar'
import {
  Above,
  Columns,
  Failure,
  Heading,
  Num,
  PlainLink,
  Prose,
  QuietButton,
  QuietLink,
  Row,
  Scroll,
  Soft,
  Subheading,
  Table,
} from '../../ui/basics'
import { Fields, Form, Select, Send, useSave, Written } from '../../ui/form'
import { ListField } from '../../ui/list-field'
import { NoPage } from '../../ui/no-page'
import { Removal } from '../../ui/sure'

const moment: Intl.DateTimeFormatOptions = {
  weekday: 'short',
  day: 'numeric',
  month: 'short',
  hour: '2-digit',
  minute: '2-digit',
}
const kinds = { energy: 'energy and cost', alarms: 'alarms', totals: 'totals' }
const periods = { day: 'day', week: 'week', month: 'month' }

/** The summaries that are sent. */
export function Statements() {
  const all = useStatements()
  const zone = useSite().data?.zone ?? 'UTC'
  const keeper = useSession().data?.role !== 'viewer'
  if (all.error) return <NoPage error={all.error} />
  return (
    <>
      <title>Statements · Jaunty Lark</title>
      <Above>
        <PlainLink href="/totals">Totals</PlainLink>
      </Above>
      <Heading>Statements</Heading>
      {all.data?.length === 0 && <Prose>None yet. A statement tells what a day, a week or a month came to.</Prose>}
      {!!all.data?.length && (
        <Scroll tabIndex={0} role="region" aria-label="Statements">
          <Table>
            <Columns names={['Statement', 'Contents', 'To', 'Next']} />
            <tbody>
              {all.data.map((s) => (
                <tr key={s.name}>
                  <td>
                    <PlainLink href={`/statements/${s.name}`}>
                      <b>{s.title || s.name}</b>
                    </PlainLink>
                  </td>
                  <td>
                    {kinds[s.kind]}, each {s.every}
                  </td>
                  <td>{(s.tell ?? []).join(', ') || 'nobody: on demand'}</td>
                  <td>{s.due_at ? clock(s.due_at, zone, moment) : '–'}</td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
      {keeper && <NewStatement />}
    </>
  )
}

const blank = {
  name: '',
  kind: 'energy' as Statement['kind'],
  every: 'month' as Statement['every'],
  at: '07:00',
  tell: [] as string[],
}

function NewStatement() {
  const [d, setDraft, unsaved] = useDraft('new statement', blank)
  const set = (change: Partial<typeof d>) => setDraft((old) => ({ ...old, ...change }))
  const save = useSave(
    () =>
      take(
        api.PUT('/api/v1/statements/{statement}', {
          params: { path: { statement: d.name }, header: { 'If-None-Match': '*' } },
          body: { title: '', kind: d.kind, every: d.every, at: d.at, tell: d.tell, totals: [] } as unknown as Statement,
        }),
      ),
    undefined,
    () => unsaved.reset(blank),
  )
  return (
    <>
      <Subheading>New statement</Subheading>
      <Form unsaved={unsaved} width="middle" save={save}>
        <Fields>
          <Written label="Name" value={d.name} onChange={(name) => set({ name })} hint="like electricity" />
          <Select
            label="Contents"
            value={d.kind}
            onChange={(kind) => set({ kind: kind as Statement['kind'] })}
            options={kinds}
          />
          <Select
            label="Period"
            value={d.every}
            onChange={(every) => set({ every: every as Statement['every'] })}
            options={periods}
          />
          <Written label="Sent at" value={d.at} onChange={(at) => set({ at })} />
        </Fields>
        <ListField
          label="Send to"
          value={d.tell}
          onChange={(tell) => set({ tell })}
          hint="contacts and e-mail addresses; nobody when empty"
        />
        <Send send="Add" off={!d.name} />
      </Form>
    </>
  )
}

/** What a statement says of a period. */
export function StatementPage() {
  const { statement: name = '' } = useParams()
  const [at, setAt] = useState('')
  const [to, setTo] = useState('')
  const sheet = useSheet(name, at ? new Date(`${at}T12:00:00`).toISOString() : '')
  const keeper = useSession().data?.role !== 'viewer'
  const when = sheet.data ? `?at=${encodeURIComponent(sheet.data.period.from)}` : ''
  const send = useAct(() =>
    take(
      api.POST('/api/v1/statements/{statement}/send', {
        params: { path: { statement: name } },
        body: { at: sheet.data?.period.from, ...(to ? { to: listOf(to) } : {}) },
      }),
    ),
  )
  const navigate = useNavigate()
  const remove = () => take(api.DELETE('/api/v1/statements/{statement}', { params: { path: { statement: name } } }))
  if (!sheet.data && sheet.error) return <NoPage error={sheet.error} />
  if (!sheet.data) return <Soft>Adding up …</Soft>
  const s = sheet.data
  return (
    <>
      <title>{`${s.title}: ${s.words} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/statements">Statements</PlainLink>
      </Above>
      <Heading>
        {s.title}: {s.words}
      </Heading>
      {s.says.map((line) => (
        <Prose key={line}>{line}</Prose>
      ))}
      <Fields>
        <Written
          label="Day in the period"
          value={at}
          onChange={setAt}
          type="date"
          hint="the newest that is over when empty"
        />
        {keeper && <Written label="Send to" value={to} onChange={setTo} hint="those whom it is for when empty" />}
      </Fields>
      {sheet.error && <Failure error={sheet.error} />}
      <Row>
        {keeper && (
          <QuietButton onPress={() => send.mutate(undefined)} isDisabled={send.isPending}>
            Send
          </QuietButton>
        )}
        <QuietLink href={`/api/v1/statements/${name}/page${when}`} target="_blank">
          Print
        </QuietLink>
        <QuietLink href={`/api/v1/statements/${name}/page${when}${when ? '&' : '?'}as=csv`} target="_blank">
          CSV
        </QuietLink>
        {send.data && <Soft role="status">It goes to {counted(send.data.notices, 'address', 'addresses')}.</Soft>}
      </Row>
      {send.error && <Failure error={send.error} />}
      {keeper && (
        <Removal
          name="Remove the statement"
          says="Nobody gets it any more. What it told stays told."
          act={remove}
          gone={{ kind: 'statement', name: name }}
          done={() => void navigate('/statements')}
        />
      )}
      {s.tables.map((t) => (
        <section key={t.title} aria-label={t.title}>
          <Subheading>{t.title}</Subheading>
          <Scroll tabIndex={0} role="region" aria-label={`${t.title}, table`}>
            <Table>
              <Columns names={t.bars ? [...t.columns, 'Compared'] : t.columns} />
              <tbody>
                {t.rows.map((row, i) => (
                  <tr key={row?.join('|')}>
                    {row?.map((cell, k) => (k === 0 ? <td key={k}>{cell}</td> : <Num key={k}>{cell}</Num>))}
                    {t.bars && (
                      <BarCell>
                        <Bar share={t.bars[i] ?? 0} />
                      </BarCell>
                    )}
                  </tr>
                ))}
              </tbody>
            </Table>
          </Scroll>
        </section>
      ))}
    </>
  )
}
