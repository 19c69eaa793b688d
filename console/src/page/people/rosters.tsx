import { Link } from 'react-router'
import { useDrills } from '../../api/alarm'
import type { Contact } from '../../api/client'
import { useNow } from '../../api/live'
import { carriers, useCarriers, useContacts, useRosters } from '../../api/people'
import { useSession, useSite } from '../../api/site'
import { clock, length, inWords } from '../../api/words'
import { PushHere } from './push-here'
import { SiteReach } from '../site/reach'
import { Columns, Heading, Prose, QuietLink, Row, Scroll, Soft, Subheading, Table } from '../../ui/basics'
import { NoPage } from '../../ui/no-page'
import { Shape } from '../../ui/severity'

const moment: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }

/** Who is told, and by which ways. */
export function Rosters() {
  const rosters = useRosters()
  const contacts = useContacts()
  const zone = useSite().data?.zone ?? 'UTC'
  const keeper = useSession().data?.role !== 'viewer'
  const failed = rosters.error ?? contacts.error
  if (failed) return <NoPage error={failed} />
  return (
    <>
      <title>Rosters · Jaunty Lark</title>
      <Heading>Rosters and contacts</Heading>
      <Prose>
        A guard tells rosters, contacts and e-mail addresses. A roster calls on people step by step until somebody has
        it. <Link to="/notices">Notices</Link>.
      </Prose>
      <Subheading>Rosters</Subheading>
      {rosters.data?.length === 0 && (
        <Prose>None yet. Add the people first, then say in which order they are called on.</Prose>
      )}
      {!!rosters.data?.length && (
        <Scroll tabIndex={0} role="region" aria-label="Rosters">
          <Table>
            <Columns names={['Roster', 'Steps', 'Repeat', 'Last drilled']} />
            <tbody>
              {rosters.data.map((r) => (
                <tr key={r.name}>
                  <td>
                    <Link to={`/rosters/${r.name}`}>{r.title || r.name}</Link>
                  </td>
                  <td>{r.steps.map((s) => s.who.join(', ')).join('; ')}</td>
                  <td>{r.repeat ? `every ${inWords(r.repeat)}` : 'no'}</td>
                  <td>{r.drilled_at ? clock(r.drilled_at, zone, moment) : 'never'}</td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
      {keeper && (
        <Row $above={3}>
          <QuietLink href="/rosters/new">Add a roster</QuietLink>
        </Row>
      )}
      <Subheading>Contacts</Subheading>
      {contacts.data?.length === 0 && <Prose>Nobody yet: only the e-mail addresses that guards name are told.</Prose>}
      {!!contacts.data?.length && <ContactTable contacts={contacts.data} />}
      <Row $above={3}>
        {keeper && <QuietLink href="/contacts/new">Add a contact</QuietLink>}
        <QuietLink href="/words">Words of messages</QuietLink>
      </Row>
      <PushHere />
      <Ways />
      <Drills zone={zone} />
      <SiteReach />
    </>
  )
}

const ContactTable = ({ contacts }: { contacts: Contact[] }) => (
  <Scroll tabIndex={0} role="region" aria-label="Contacts">
    <Table>
      <Columns names={['Contact', 'Addresses', 'Quiet hours']} />
      <tbody>
        {contacts.map((c) => (
          <tr key={c.name}>
            <td>
              <Link to={`/contacts/${c.name}`}>{c.title || c.name}</Link>
            </td>
            <td>{(c.addresses ?? []).map((a) => carriers[a.carrier]).join(', ') || 'nothing: add an address'}</td>
            <td>
              {c.quiet ? `${c.quiet}, but ${c.passes}` : '–'}
              {c.away && <Soft> · away, {c.away.instead} is told</Soft>}
            </td>
          </tr>
        ))}
      </tbody>
    </Table>
  </Scroll>
)

/** Whether each carrier is on and works. */
function Ways() {
  const ways = useCarriers().data ?? []
  const now = useNow()
  return (
    <>
      <Subheading>Carriers</Subheading>
      <Scroll tabIndex={0} role="region" aria-label="Carriers">
        <Table>
          <Columns names={['Carrier', 'State', 'Waiting', 'Last worked']} />
          <tbody>
            {ways.map((w) => (
              <tr key={w.name}>
                <td>
                  {w.failing && <Shape of="warning" />} {carriers[w.name as keyof typeof carriers]}
                </td>
                <td>
                  {!w.on
                    ? `off: switched on ${w.how}`
                    : w.failing_since
                      ? `failing for ${length(now - Date.parse(w.failing_since))}: ${w.answer}`
                      : w.worked_at
                        ? 'works'
                        : 'not used yet'}
                </td>
                <td>{w.waiting || '–'}</td>
                <td>{w.worked_at ? `${length(now - Date.parse(w.worked_at))} ago` : '–'}</td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroll>
      <Prose>
        <Link to="/stand-ins">The stand-ins of the demo, and what they received</Link>
      </Prose>
    </>
  )
}

function Drills({ zone }: { zone: string }) {
  const drills = useDrills().data ?? []
  return (
    <>
      <Subheading>Drills</Subheading>
      {drills.length === 0 && (
        <Prose>Nothing was drilled yet. Open a guard and press “Drill it”: a marked reading goes the whole way.</Prose>
      )}
      <ul>
        {drills.slice(0, 5).map((d) => (
          <li key={d.id}>
            <Link to={`/drills/${d.id}`}>{d.guard}</Link>{' '}
            <Soft>
              {clock(d.started_at, zone, moment)}, by {d.started_by}: {d.ended || 'it goes on'}
            </Soft>
          </li>
        ))}
      </ul>
    </>
  )
}
