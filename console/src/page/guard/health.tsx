import { useState } from 'react'
import { useHealth } from '../../api/alarm'
import type { Health } from '../../api/client'
import { useSite } from '../../api/site'
import { clock, count, figure, length, lengthOf } from '../../api/words'
import {
  Above,
  Columns,
  Failure,
  Heading,
  Num,
  PlainLink,
  Prose,
  Row,
  Scroll,
  Soft,
  Subheading,
  Table,
} from '../../ui/basics'
import { Choice } from '../../ui/choice'
import { Shape } from '../../ui/severity'

const spans = { '7': '7 days', '30': '30 days', '90': '90 days' }
const day: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }

/** How many alarms people get, beside what they should. */
export function HealthPage() {
  const [days, setDays] = useState<keyof typeof spans>('30')
  const health = useHealth(Number(days))
  const h = health.data
  return (
    <>
      <title>Health · Jaunty Lark</title>
      <Above>
        <PlainLink href="/alarms">Alarms</PlainLink>
      </Above>
      <Heading>{h ? headline(h) : 'Alarm health'}</Heading>
      <Row $above={3}>
        <Choice label="Stretch" options={spans} value={days} onChange={setDays} />
      </Row>
      {health.error && <Failure error={health.error} />}
      {!h && !health.error && <Soft>Looking …</Soft>}
      {h && <Figures h={h} />}
    </>
  )
}

function headline(h: Health) {
  const bad = h.figures.filter((f) => !f.good).length
  if (h.alarms === 0) return 'There were no alarms.'
  if (bad === 0) return 'All figures are as they should be.'
  return bad === 1 ? 'One figure is too high.' : `${count(bad)} figures are too high.`
}

function Figures({ h }: { h: Health }) {
  const zone = useSite().data?.zone ?? 'UTC'
  return (
    <>
      <Scroll>
        <Table>
          <Columns names={['Figure', 'Now', 'Target', 'Verdict', 'By']} />
          <tbody>
            {h.figures.map((f) => (
              <tr key={f.name} data-good={f.good}>
                <td>{f.name}</td>
                <Num>
                  {figure(Number(f.value.toPrecision(3)))} {f.unit}
                </Num>
                <Num>{f.limit}</Num>
                <td>
                  {f.good ? (
                    'good'
                  ) : (
                    <>
                      <Shape of="warning" /> too much
                    </>
                  )}
                </td>
                <td>
                  <Soft>{f.source}</Soft>
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroll>
      <Subheading>Guards with the most alarms</Subheading>
      {h.offenders.length === 0 ? (
        <Prose>Nothing was raised.</Prose>
      ) : (
        <Scroll>
          <Table>
            <Columns names={['Guard', 'Signal', 'Alarms', 'Share', 'Suggestion']} />
            <tbody>
              {h.offenders.map((o) => (
                <tr key={o.guard + o.signal + o.kind}>
                  <td>{o.guard ? <PlainLink href={`/guards/${o.guard}`}>{o.guard}</PlainLink> : o.kind}</td>
                  <td>{o.signal}</td>
                  <Num>{o.alarms}</Num>
                  <Num>{Math.round(o.share)} %</Num>
                  <td>{o.cure || (o.chattering >= 3 ? `it chatters: ${o.chattering} came back within 10 min` : '')}</td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
      {h.standing.length > 0 && (
        <>
          <Subheading>Standing for more than a day</Subheading>
          <ul>
            {h.standing.map((s) => (
              <li key={s.id}>
                <PlainLink href={`/alarms/${s.id}`}>{s.guard || s.signal}</PlainLink> for {length(lengthOf(s.stood))}
              </li>
            ))}
          </ul>
        </>
      )}
      {h.floods.length > 0 && (
        <>
          <Subheading>Floods</Subheading>
          <ul>
            {h.floods.map((f) => (
              <li key={f.from}>
                {f.alarms} alarms from {clock(f.from, zone, day)} to {clock(f.until, zone, day)}
              </li>
            ))}
          </ul>
        </>
      )}
      <Subheading>Who was told</Subheading>
      {h.people.length === 0 ? (
        <Prose>Nobody.</Prose>
      ) : (
        <ul>
          {h.people.map((p) => (
            <li key={p.address}>
              {p.address}: {p.alarms}, {figure(Number(p.per_day.toPrecision(2)))} a day
            </li>
          ))}
        </ul>
      )}
    </>
  )
}
