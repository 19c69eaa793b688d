import styled from 'styled-components'
import { api, type Site } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { useSession, useSite } from '../../api/site'
import { TakeUpGuide } from './guide'
import { Heading, PlainLink, Soft, Subheading } from '../../ui/basics'
import { Changing, type SaveUnder } from '../../ui/changing'
import { Fields, Form, Send, useSave, Written } from '../../ui/form'
import { ListField } from '../../ui/list-field'

const Rooms = styled.ul`
  list-style: none;
  padding: 0;
  margin: var(--gap-4) 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(260px, 1fr));
  gap: var(--gap-3) var(--gap-5);
  li {
    border-top: var(--hair);
    padding-top: var(--gap-2);
  }
  b {
    font-weight: 620;
  }
`
const rooms: [string, string, string][] = [
  ['People', '/set-up/people', 'who may sign in, and what each may do'],
  ['Readers', '/set-up/readers', 'programs that are told what changes, each with its own key'],
  ['Units', '/units', 'in which units you, and messages, show values'],
  ['Totals', '/totals', 'what is added up: hours, cycles, energy, cost'],
  ['Tariffs', '/set-up/tariffs', 'what energy costs, by hour and day'],
  ['Statements', '/statements', 'what a day, a week, a month came to, and who gets it'],
  ['History', '/history', 'how long readings are kept; taking out, taking in, clearing'],
  ['Words', '/words', 'what messages say'],
  ['Kits', '/devices/kits', 'descriptions of sorts of devices'],
  ['Trials', '/trials', 'recorded stretches to find limits from'],
  ['Derived signals', '/derive', 'signals made of others'],
  ['Compare signals', '/compare', 'two instruments beside each other'],
  ['Notices', '/notices', 'what went out to whom, and how that went'],
  ['Removed', '/removed', 'what was removed in the last 30 days, to be brought back'],
  ['Stand-ins', '/stand-ins', 'what stands in for mail, voice and text gateways here'],
]

/** What is set up once and seldom changed. */
export function SetUp() {
  const site = useSite().data
  const owner = useSession().data?.role === 'owner'
  if (!site) return <Soft>Looking …</Soft>
  return (
    <>
      <title>Set-up · Jaunty Lark</title>
      <Heading>Set-up</Heading>
      <Rooms>
        {rooms.map(([name, to, says]) => (
          <li key={to}>
            <PlainLink href={to}>
              <b>{name}</b>
            </PlainLink>
            <br />
            <Soft>{says}</Soft>
          </li>
        ))}
      </Rooms>
      <Changing of="site" look={() => api.GET('/api/v1/site')} kept={site}>
        {(begun, save) => <SiteForm site={begun} saveUnder={save} owner={owner} />}
      </Changing>
      <Subheading>First steps</Subheading>
      <TakeUpGuide />
    </>
  )
}

/** What the site is called, and where it is. */
function SiteForm({ site, saveUnder, owner }: { site: Site; saveUnder: SaveUnder; owner: boolean }) {
  const [s, setSite, unsaved] = useDraft('site', site)
  const save = useSave(() => saveUnder((header) => api.PUT('/api/v1/site', { params: { header }, body: s })), unsaved)
  return (
    <>
      <Subheading>Site</Subheading>
      <Form may={owner} unsaved={unsaved} width="middle" save={save}>
        <Fields>
          <Written label="Name" value={s.name} onChange={(name) => setSite({ ...s, name })} />
          <Written
            label="Time zone"
            value={s.zone}
            onChange={(zone) => setSite({ ...s, zone })}
            hint="like Europe/Dublin"
          />
          <Written
            label="Currency"
            value={s.currency}
            onChange={(currency) => setSite({ ...s, currency })}
            hint="like EUR"
          />
        </Fields>
        <ListField
          label="Holidays"
          value={s.holidays ?? []}
          onChange={(holidays) => setSite({ ...s, holidays })}
          hint="dates like 2026-12-25; tariffs and hours can name them"
        />
        {owner && <Send send="Save" sent="Saved." />}
      </Form>
    </>
  )
}
