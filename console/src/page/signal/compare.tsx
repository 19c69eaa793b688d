import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import { useSearchParams } from 'react-router'
import { keyOf } from '../../api/changes'
import { api, type Comparison, pathOf, take } from '../../api/client'
import { useSignals } from '../../api/signal'
import { useSite } from '../../api/site'
import { dimensionOf, seen, seenDifference } from '../../api/units'
import { counted, figure, length, shown } from '../../api/words'
import { PairChart } from '../../chart/pair'
import { Failure, Heading, Prose, Scroll, Soft, Table } from '../../ui/basics'
import { Choice } from '../../ui/choice'
import { Fields, Select } from '../../ui/form'

const spans = { '1': 'Day', '7': 'Week', '30': '30 days' }
type Span = keyof typeof spans
const leastLikeness = 0.7 // from which on a lag means something

/** Two signals beside each other: how far they agree. */
export function Compare() {
  const [query, setQuery] = useSearchParams()
  const zone = useSite().data?.zone ?? 'UTC'
  const first = query.get('first') ?? ''
  const second = query.get('second') ?? ''
  const span = (query.get('days') ?? '1') in spans ? ((query.get('days') ?? '1') as Span) : '1'
  const numbers = (useSignals().data ?? []).filter((s) => s.kind === 'number')
  const of = numbers.find((s) => pathOf(s) === first)
  const alike = numbers.filter(
    (s) => pathOf(s) !== first && of && (dimensionOf(s.unit) === dimensionOf(of.unit) || s.unit === of.unit),
  )
  const set = (change: Record<string, string>) => setQuery({ first, second, days: span, ...change }, { replace: true })
  const answer = useQuery({
    queryKey: keyOf('compare', first, second, span),
    enabled: first !== '' && second !== '',
    retry: false,
    queryFn: () =>
      take(
        api.GET('/api/v1/compare', {
          params: { query: { first, second, since: new Date(Date.now() - Number(span) * 86_400_000).toISOString() } },
        }),
      ),
  })
  const names = (list: typeof numbers) =>
    Object.fromEntries([['', 'which?'], ...list.map((s) => [pathOf(s), `${s.device_title}: ${s.title}`])])
  return (
    <>
      <title>Compare · Jaunty Lark</title>
      <Heading>Compare two signals</Heading>
      <Prose>A new probe beside a trusted one, say: do they agree, and does one follow the other?</Prose>
      <Fields>
        <Select label="Signal" value={first} onChange={(v) => set({ first: v, second: '' })} options={names(numbers)} />
        <Select label="Reference signal" value={second} onChange={(v) => set({ second: v })} options={names(alike)} />
      </Fields>
      <Choice label="Time span" options={spans} value={span} onChange={(days) => set({ days })} />
      {answer.error && <Failure error={answer.error} />}
      {answer.isFetching && <Soft>Comparing …</Soft>}
      {answer.data && <Agreement of={answer.data} zone={zone} />}
    </>
  )
}

function Agreement({ of: a, zone }: { of: Comparison; zone: string }) {
  const lines = useMemo(
    () => ({
      at: a.points.map((p) => Date.parse(p.at)),
      first: a.points.map((p) => seen(p.first, a.unit)),
      second: a.points.map((p) => seen(p.second, a.unit)),
    }),
    [a],
  )
  const unit = shown(a.unit)
  const off = (difference: number) => figure(Number(seenDifference(difference, a.unit).toPrecision(3)))
  const [lag, give] = [1000 * Math.abs(a.lag), 1000 * a.lag_step]
  const [ahead, behind] = a.lag < 0 ? [a.second, a.first] : [a.first, a.second]
  const rows: [string, string][] = [
    ['Mean difference', `${off(a.mean)} ${unit}`],
    ['Standard deviation', `${off(a.deviation)} ${unit}`],
    ['Limits of agreement (95 of 100 differences)', `${off(a.low)} to ${off(a.high)} ${unit}`],
    ['Smallest and largest', `${off(a.lowest)} and ${off(a.highest)} ${unit}`],
    [
      'Lag',
      a.likeness < leastLikeness
        ? 'cannot be told: they do not move alike'
        : lag < Math.max(1000, give)
          ? 'none'
          : `${behind} follows ${ahead} by ${length(lag)}, give or take ${length(give)}`,
    ],
    [
      'Compared',
      `${counted(a.count, 'reading', 'readings')}${a.left_out ? `; ${a.left_out} left out, as the second had no value that held` : ''}`,
    ],
  ]
  return (
    <section data-agreement>
      <Prose>
        <b>{a.suggestion}</b>
      </Prose>
      <PairChart
        {...lines}
        names={[a.first, a.second]}
        zone={zone}
        label={`${a.first} and ${a.second}; the mean difference is ${off(a.mean)} ${unit}`}
      />
      <Scroll tabIndex={0} role="region" aria-label="How far they agree">
        <Table>
          <tbody>
            {rows.map(([name, value]) => (
              <tr key={name}>
                <th scope="row">{name}</th>
                <td>{value}</td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroll>
    </section>
  )
}
