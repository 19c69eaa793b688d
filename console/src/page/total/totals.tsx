import { useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { api, pathOf, type Result, type Signal, take, type Total } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { useAct } from '../../api/queries'
import { useSignals } from '../../api/signal'
import { useSession, useSite } from '../../api/site'
import { comesTo, useTariffs, useTotal, useTotals } from '../../api/total'
import { dimensionOf } from '../../api/units'
import { clock, counted, length } from '../../api/words'
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
  Row,
  Scroll,
  Soft,
  Subheading,
  Table,
} from '../../ui/basics'
import { Choice } from '../../ui/choice'
import { Fields, Form, Select, Send, TextInput, useSave, Written } from '../../ui/form'
import { NoPage } from '../../ui/no-page'
import { Opens } from '../../ui/opens'
import { Removal } from '../../ui/sure'

/** What a result does not count. */
function missing(r: Result) {
  const parts: string[] = []
  if (r.missing >= 1) parts.push(`${length(r.missing * 1000)} without data`)
  if (r.left_out > 0) parts.push(`${counted(r.left_out, 'reading', 'readings')} not usable`)
  return parts.join(', ')
}

/** All totals: today, this month, since the last reset. */
export function Totals() {
  const totals = useTotals()
  if (totals.error) return <NoPage error={totals.error} />
  if (!totals.data) return <Soft>Looking …</Soft>
  return (
    <>
      <title>Totals · Jaunty Lark</title>
      <Heading>Totals</Heading>
      <Prose>
        <Link to="/statements">Statements</Link>: what a day, a week or a month came to.
      </Prose>
      {totals.data.length === 0 ? (
        <>
          <Prose>Nothing is added up yet: how often a pump starts, what the lamps use, what that costs.</Prose>
        </>
      ) : (
        <Scroll tabIndex={0} role="region" aria-label="Totals">
          <Table>
            <Columns names={['Total', 'Today', 'This month', 'Since the last reset', 'Not counted today']} />
            <tbody>
              {totals.data.map((t) => (
                <tr key={t.id} data-total={t.name}>
                  <td>
                    <PlainLink href={`/totals/${t.name}`}>{t.title || t.name}</PlainLink>
                    <br />
                    <Soft>
                      {t.kind} of {t.signal}
                    </Soft>
                  </td>
                  <Num>{comesTo(t, t.today)}</Num>
                  <Num>{comesTo(t, t.month)}</Num>
                  <Num>{t.since_reset ? comesTo(t, t.since_reset) : '–'}</Num>
                  <td>{missing(t.today) || '–'}</td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
      <AddTotal />
    </>
  )
}

/** Which kinds a signal can be added up by. */
const kindsOf = (s: Signal | undefined) => {
  if (!s) return []
  if (s.kind === 'switch') return ['on-time', 'cycles', 'longest-run']
  const of = { power: ['energy', 'cost'], flow: ['volume'] }[dimensionOf(s.unit)] ?? []
  return [...of, 'integral']
}

const blank = { of: '', kind: '', tariff: '', name: '', title: '' }

/** Adding a total of a signal. */
function AddTotal() {
  const keeper = useSession().data?.role !== 'viewer'
  const signals = (useSignals().data ?? []).filter((s) => s.kind === 'number' || s.kind === 'switch')
  const tariffs = useTariffs().data ?? []
  const [d, setDraft, unsaved] = useDraft('new total', blank)
  const set = (change: Partial<typeof d>) => setDraft((old) => ({ ...old, ...change }))
  const kinds = kindsOf(signals.find((s) => pathOf(s) === d.of))
  const chosen = kinds.includes(d.kind) ? d.kind : (kinds[0] ?? '')
  const add = useSave(
    () =>
      take(
        api.POST('/api/v1/totals', {
          body: { name: d.name, title: d.title, signal: d.of, kind: chosen, tariff: d.tariff } as Total,
        }),
      ),
    undefined,
    () => {
      unsaved.reset(blank)
      close()
    },
  )
  if (!keeper) return null
  return (
    <Row $above={4}>
      <Opens name="Add a total …">
        {(close) => (
          <>
            <Subheading>New total</Subheading>
            <Form unsaved={unsaved} width="middle" save={add}>
              <Fields>
                <Select
                  label="Signal"
                  value={d.of}
                  onChange={(of) => set({ of })}
                  options={Object.fromEntries([
                    ['', 'which signal?'],
                    ...signals.map((s) => [pathOf(s), `${s.device_title}: ${s.title}`]),
                  ])}
                />
                <Select
                  label="Kind"
                  value={chosen}
                  onChange={(kind) => set({ kind })}
                  options={Object.fromEntries(kinds.map((k) => [k, k.replace('-', ' ')]))}
                />
                {chosen === 'cost' && (
                  <Select
                    label="Tariff"
                    value={d.tariff}
                    onChange={(tariff) => set({ tariff })}
                    options={{ '': 'which?', ...Object.fromEntries(tariffs.map((t) => [t.name, t.name])) }}
                  />
                )}
              </Fields>
              {chosen === 'cost' && tariffs.length === 0 && (
                <Prose>
                  There is no tariff yet. <Link to="/set-up/tariffs">Add one</Link>.
                </Prose>
              )}
              <Fields>
                <Written
                  label="Name"
                  value={d.name}
                  onChange={(name) => set({ name })}
                  hint="small letters, digits and -"
                />
                <Written label="Title" value={d.title} onChange={(title) => set({ title })} />
              </Fields>
              <Send send="Add" off={!d.of || !d.name} onCancel={close} />
            </Form>
          </>
        )}
      </Opens>
    </Row>
  )
}

const periods = { day: 'Days', week: 'Weeks', month: 'Months' }
const dates: Record<keyof typeof periods, Intl.DateTimeFormatOptions> = {
  day: { weekday: 'short', day: 'numeric', month: 'short' },
  week: { day: 'numeric', month: 'short' },
  month: { month: 'long', year: 'numeric' },
}
const moment: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }

/** One total by periods, and between its resets. */
export function TotalPage() {
  const { total: name = '' } = useParams()
  const [by, setBy] = useState<keyof typeof periods>('day')
  const zone = useSite().data?.zone ?? 'UTC'
  const keeper = useSession().data?.role !== 'viewer'
  const total = useTotal(name, by)
  if (total.error) return <NoPage error={total.error} />
  if (!total.data) return <Soft>Looking …</Soft>
  const t = total.data
  const first = t.periods.findIndex((r) => r.known > 0 || r.missing > 0)
  const shown = first < 0 ? [] : t.periods.slice(first).reverse()
  const most = Math.max(...shown.map((r) => r.value), 0)
  const lastOn = t.periods.at(-1)?.last_on
  return (
    <>
      <title>{`${t.title || t.name} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/totals">Totals</PlainLink> · {t.kind} of{' '}
        <PlainLink href={`/signals/${t.signal}`}>{t.signal}</PlainLink>
      </Above>
      <Heading>{t.title || t.name}</Heading>
      <Prose>
        {comesTo(t, t.today)} today, {comesTo(t, t.month)} this month
        {t.since_reset && `, ${comesTo(t, t.since_reset)} since it was reset`}.
        {lastOn && ` It was last on ${clock(lastOn, zone, moment)}.`}
        {t.tariff && ` By the tariff ${t.tariff}.`}
      </Prose>
      <Choice label="By" options={periods} value={by} onChange={setBy} />
      <Scroll tabIndex={0} role="region" aria-label="By period">
        <Table>
          <Columns names={['From', 'Total', 'Compared', 'Not counted']} />
          <tbody>
            {shown.map((r) => (
              <tr key={r.at} data-period={r.value}>
                <td>{clock(r.at, zone, dates[by])}</td>
                <Num>{comesTo(t, r)}</Num>
                <BarCell>
                  <Bar share={most > 0 ? r.value / most : 0} />
                </BarCell>
                <td>{missing(r)}</td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroll>
      <Resets name={name} keeper={keeper} zone={zone} />
      {keeper && <RemoveTotal name={name} />}
    </>
  )
}

function RemoveTotal({ name }: { name: string }) {
  const navigate = useNavigate()
  const remove = () => take(api.DELETE('/api/v1/totals/{total}', { params: { path: { total: name } } }))
  return (
    <Removal
      name={`Remove the total ${name}`}
      says="What it came to goes; the readings that it adds up stay, so that it can be made anew."
      act={remove}
      gone={{ kind: 'total', name: name }}
      done={() => void navigate('/totals')}
    />
  )
}

function ResetForm({ total, onClose }: { total: string; onClose: () => void }) {
  const reset = useSave(
    ({ note }) => take(api.POST('/api/v1/totals/{total}/resets', { params: { path: { total } }, body: { note } })),
    undefined,
    onClose,
  )
  return (
    <Form save={reset}>
      <Prose>It counts from 0 again. What it came to before is kept, and a reset can be undone.</Prose>
      <TextInput label="Why" name="note" optional />
      <Send send="Reset" onCancel={onClose} />
    </Form>
  )
}

/** Letting a total count anew, undoing that, and what it came to in between. */
function Resets({ name, keeper, zone }: { name: string; keeper: boolean; zone: string }) {
  const total = useTotal(name, 'day').data
  const path = { total: name }
  const undo = useAct(() => take(api.POST('/api/v1/totals/{total}/resets/undo', { params: { path } })))
  if (!total) return null
  return (
    <>
      <Subheading>Resets</Subheading>
      {total.between.length === 0 && <Prose>It was never reset.</Prose>}
      {total.between.length > 0 && (
        <Table>
          <Columns names={['From', 'Until', 'Total', 'Not counted']} />
          <tbody>
            {total.between.map((r, i) => (
              <tr key={r.at} data-between>
                <td>{clock(r.at, zone, moment)}</td>
                <td>{i === 0 ? 'now' : clock(r.until, zone, moment)}</td>
                <Num>{comesTo(total, r)}</Num>
                <td>{missing(r)}</td>
              </tr>
            ))}
          </tbody>
        </Table>
      )}
      {keeper && (
        <Row $above={3}>
          <Opens name="Reset …">{(close) => <ResetForm total={name} onClose={close} />}</Opens>
          {total.between.length > 0 && (
            <QuietButton onPress={() => undo.mutate(undefined)} isDisabled={undo.isPending}>
              Undo the newest reset
            </QuietButton>
          )}
        </Row>
      )}
      {undo.error && <Failure error={undo.error} />}
    </>
  )
}
