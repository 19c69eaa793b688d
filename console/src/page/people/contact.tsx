import styled from 'styled-components'
import { useState } from 'react'
import { useNavigate, useParams } from 'react-router'
import { takeNotices } from '../../api/alarm'
import { type Address, api, type Contact, take } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { type Carrier, carriers, lookAtContact, putContact, type Severity, useContacts } from '../../api/people'
import { useAct } from '../../api/queries'
import { useSession } from '../../api/site'
import {
  Above,
  Button,
  Code,
  Failure,
  Heading,
  PlainLink,
  Prose,
  QuietButton,
  Row,
  Soft,
  Subheading,
} from '../../ui/basics'
import { Changing, saveAsNew, type SaveUnder } from '../../ui/changing'
import { Fields, Form, Select, Send, useSave, Written } from '../../ui/form'
import { NoPage } from '../../ui/no-page'
import { Removal } from '../../ui/sure'

const Addresses = styled.ul`
  margin: 0;
  overflow-wrap: anywhere;
`

type Draft = { draft: Contact; carrier: Carrier; to: string }
const fresh = { name: '', title: '', addresses: [], quiet: '', passes: 'critical', templates: [] } as unknown as Contact
const hints: Record<Carrier, string> = {
  'e-mail': 'orla@example.org',
  text: '+353 86 123 4567',
  voice: '+353 86 123 4567',
  chat: 'as your chat’s gateway wants it',
  webhook: 'https://example.org/hook',
  push: 'switched on from the device itself',
}

/** One contact, with a test for each way. */
export function ContactPage() {
  const { contact: name } = useParams()
  const contacts = useContacts()
  if (contacts.error) return <NoPage error={contacts.error} />
  if (!contacts.data) return <Soft>Looking …</Soft>
  const found = name === 'new' ? fresh : contacts.data.find((c) => c.name === name)
  if (!found) return <NoPage error={new Error(`There is no contact ${name}.`)} />
  if (found === fresh) return <ContactForm key={name} contact={fresh} />
  return (
    <Changing key={name} of={`contact ${name}`} look={() => lookAtContact(name!)} kept={found}>
      {(begun, save) => <ContactForm contact={begun} saveUnder={save} />}
    </Changing>
  )
}

function ContactForm({ contact, saveUnder = saveAsNew }: { contact: Contact; saveUnder?: SaveUnder }) {
  const isNew = saveUnder === saveAsNew
  const [{ draft, carrier, to }, put, unsaved] = useDraft<Draft>(`contact ${contact.name}`, {
    draft: contact,
    carrier: 'e-mail',
    to: '',
  })
  const keeper = useSession().data?.role !== 'viewer'
  const navigate = useNavigate()
  const set = (change: Partial<Contact>) => put((old) => ({ ...old, draft: { ...old.draft, ...change } }))
  const remove = () => take(api.DELETE('/api/v1/contacts/{contact}', { params: { path: { contact: contact.name! } } }))
  const others = (useContacts().data ?? []).filter((c) => c.name !== contact.name)
  const addresses = draft.addresses ?? []
  const withNew = (): Contact => (to ? { ...draft, addresses: [...addresses, { carrier, to } as Address] } : draft)
  const save = useSave(
    () => saveUnder((header) => putContact(withNew(), header)),
    undefined,
    (c) => {
      unsaved.reset({ draft: c, carrier, to: '' })
      if (isNew) void navigate(`/contacts/${c.name}`)
    },
  )
  const kept = save.data
  const secrets = (kept?.addresses ?? []).filter((a) => a.secret)
  return (
    <>
      <title>{`${draft.title || draft.name || 'A contact'} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/rosters">Rosters and contacts</PlainLink>
      </Above>
      <Heading>{isNew ? 'New contact' : draft.title || draft.name}</Heading>
      {!isNew && <TestNow contact={contact} />}
      <Form width="middle" may={keeper} unsaved={unsaved} save={save}>
        {isNew && (
          <Written
            label="Name"
            value={draft.name ?? ''}
            onChange={(name) => set({ name })}
            hint="short, like orla or duty-phone"
          />
        )}
        <Written label="Title" value={draft.title ?? ''} onChange={(title) => set({ title })} hint="what people say" />
        <Subheading $flush>Addresses</Subheading>
        {addresses.length === 0 && <Soft>None yet.</Soft>}
        <Addresses>
          {addresses.map((a) => (
            <li key={a.carrier + a.to}>
              {carriers[a.carrier]} {a.carrier === 'push' ? 'to a browser' : a.to}{' '}
              {keeper && (
                <QuietButton
                  aria-label={`Remove: ${a.carrier} ${a.to}`}
                  onPress={() => set({ addresses: addresses.filter((o) => o !== a) })}
                >
                  Remove
                </QuietButton>
              )}
            </li>
          ))}
        </Addresses>
        {keeper && (
          <Fields>
            <Select
              label="Carrier"
              value={carrier}
              onChange={(v) => put((old) => ({ ...old, carrier: v as Carrier }))}
              options={Object.fromEntries(Object.entries(carriers).filter(([c]) => c !== 'push'))}
            />
            <Written
              label="Address"
              value={to}
              onChange={(to) => put((old) => ({ ...old, to }))}
              hint={hints[carrier]}
            />
          </Fields>
        )}
        <Written
          label="Quiet hours"
          value={draft.quiet ?? ''}
          onChange={(quiet) => set({ quiet })}
          hint="like daily 22:00-07:00; what can wait is told when they end"
        />
        <Fields>
          <Select
            label="Told in quiet hours"
            value={draft.passes ?? 'critical'}
            onChange={(v) => set({ passes: v as Severity })}
            options={{ advisory: 'everything', warning: 'warnings and worse', critical: 'critical alone' }}
          />
          <Written
            label="Time zone"
            value={draft.zone ?? ''}
            onChange={(zone) => set({ zone })}
            hint="the site’s when empty"
          />
        </Fields>
        <AwayFields draft={draft} set={set} others={others} />
        <Send send="Save" sent="Saved." />
        {secrets.map((a) => (
          <div key={a.to}>
            <Prose>Requests to {a.to} are signed with this secret. It is shown once:</Prose>
            <Code>{a.secret}</Code>
          </div>
        ))}
      </Form>
      {keeper && !isNew && (
        <Removal
          name={`Remove the contact ${contact.title || contact.name}`}
          says="Nothing is told there any more. What was told stays in the notices."
          act={remove}
          gone={{ kind: 'contact', name: contact.name! }}
          done={() => void navigate('/rosters')}
        />
      )}
    </>
  )
}

type AwayProps = { draft: Contact; set: (change: Partial<Contact>) => void; others: Contact[] }

const day = (at?: string) => (at ? at.slice(0, 10) : '')
const instant = (day: string) => (day ? new Date(day).toISOString() : '')

/** When somebody else is told instead. */
function AwayFields({ draft, set, others }: AwayProps) {
  const { from, until, instead: who } = draft.away ?? { from: '', until: '', instead: '' }
  // What is not whole yet is kept as it is written; the service says what is missing.
  const change = (f: string, u: string, who: string) =>
    set({ away: who ? ({ from: instant(f), until: instant(u), instead: who } as Contact['away']) : undefined })
  if (others.length === 0) return null
  return (
    <Fields>
      <Select
        label="Deputy while away"
        value={who}
        onChange={(v) => change(from, until, v)}
        options={{ '': 'nobody else', ...Object.fromEntries(others.map((c) => [c.name!, c.title || c.name!])) }}
      />
      {who && (
        <>
          <Written label="Away from" type="date" value={day(from)} onChange={(v) => change(v, until, who)} />
          <Written label="Away until" type="date" value={day(until)} onChange={(v) => change(from, v, who)} />
        </>
      )}
    </Fields>
  )
}

/** Sends a test by all ways, and tells what became of each. */
function TestNow({ contact }: { contact: Contact }) {
  const [sent, setSent] = useState<{ line: string; ok: boolean }[]>([])
  const keeper = useSession().data?.role !== 'viewer'
  const test = useAct(async () => {
    setSent([])
    const name = contact.name ?? ''
    const { notices } = await take(
      api.POST('/api/v1/contacts/{contact}/test', { params: { path: { contact: name } }, body: {} }),
    )
    for (let tries = 0; tries < 60; tries++) {
      const all = (await takeNotices({ contact: name })).list.filter((n) => notices.includes(n.id))
      setSent(
        all.map((n) => ({
          line: `${carriers[n.carrier as Carrier]}: ${n.deliveries.at(-1)?.answer ?? 'on its way'}. ${n.advice}`,
          ok: n.deliveries.at(-1)?.ok ?? true,
        })),
      )
      if (all.every((n) => n.deliveries.length > 0)) return
      await new Promise((done) => setTimeout(done, 300))
    }
  })
  if (!keeper || (contact.addresses ?? []).length === 0) return null
  return (
    <>
      <Row $above={3}>
        <Button onPress={() => test.mutate(undefined)} isDisabled={test.isPending}>
          Send a test
        </Button>
        <Soft>A message goes out by each way at once.</Soft>
      </Row>
      <ul aria-live="polite">
        {sent.map((s) => (
          <li key={s.line}>
            {!s.ok && <b>! </b>}
            {s.line}
          </li>
        ))}
      </ul>
      {test.error && <Failure error={test.error} />}
    </>
  )
}
