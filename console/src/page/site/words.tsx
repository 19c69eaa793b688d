import { Details } from '../../ui/disclosure'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useAlarms } from '../../api/alarm'
import { keyOf } from '../../api/changes'
import { api, type Guard, take, type Template } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { useGuards } from '../../api/guard'
import { type Carrier, carriers, saveContact, useContacts } from '../../api/people'
import { usePlaceholders, useReach, useSession } from '../../api/site'
import { Above, AsWritten, Failure, Heading, PlainLink, Prose, Row, Soft, Subheading, Well } from '../../ui/basics'
import { Form, Select, Send, useSave, Written } from '../../ui/form'

const kinds = {
  raise: 'it is wrong',
  silent: 'it is silent',
  worsen: 'it is worse',
  ease: 'it has eased',
  latched: 'it waits to be reset',
  return: 'it is over',
  hand: 'somebody asks you',
  taken: 'somebody has it',
  summary: 'a summary',
}
type Kind = keyof typeof kinds

const guardKey = (name?: string) => `guard ${name}`

/** The words of messages: how they read, and words of one's own. */
export function Words() {
  const [kind, setKind] = useState<Kind>('raise')
  const [whose, setWhose] = useState('')
  const contacts = useContacts().data ?? []
  const reach = useReach().data
  const owner = useSession().data?.role === 'owner'
  const guards = useGuards().data ?? []
  const templates =
    (whose
      ? (contacts.find((c) => c.name === whose) ?? guards.find((g) => guardKey(g.name) === whose))?.templates
      : reach?.templates) ?? []
  const own = templates.find((t) => t.on === kind)
  const options = {
    ...(owner ? { '': 'the site' } : {}),
    ...Object.fromEntries(contacts.map((c) => [c.name!, c.title || c.name!])),
    ...Object.fromEntries(guards.map((g) => [guardKey(g.name), `guard ${g.name}`])),
  }
  if (!reach) return <Soft>Looking …</Soft>
  return (
    <>
      <title>The words · Jaunty Lark</title>
      <Above>
        <PlainLink href="/rosters">Rosters and contacts</PlainLink>
      </Above>
      <Heading>Words of messages</Heading>
      <Prose>
        Messages have words that are built in. A contact, a guard and the site can each have their own, in any language;
        the contact’s come first.
      </Prose>
      <Row>
        <Select label="Applies to" value={whose} onChange={setWhose} options={options} />
        <Select label="Message" value={kind} onChange={(v) => setKind(v as Kind)} options={kinds} />
      </Row>
      <Writing
        key={`${whose} ${kind} ${own?.short} ${own?.long}`}
        kind={kind}
        whose={whose}
        own={own}
        templates={templates}
      />
    </>
  )
}

/** What the service says of a guard, and is not told. */
const untold = { id: undefined, made_at: undefined, shelved: undefined, out_of_service: undefined, from_kit: undefined }

/** Saves a guard as it is, with other words. */
const saveGuardWords = (guard: Guard, templates: Template[]) =>
  take(
    api.PUT('/api/v1/guards/{guard}', {
      params: { path: { guard: guard.name! } },
      body: { ...guard, ...untold, templates } as unknown as Guard,
    }),
  )

type WritingProps = { kind: Kind; whose: string; own?: Template; templates: Template[] }

function Writing({ kind, whose, own, templates }: WritingProps) {
  const [{ short, long }, setDraft, unsaved] = useDraft(`words ${whose} ${kind}`, {
    short: own?.short ?? '',
    long: own?.long ?? '',
  })
  const keeper = useSession().data?.role !== 'viewer'
  const contacts = useContacts().data ?? []
  const reach = useReach().data
  const guards = useGuards().data ?? []
  const newest = useAlarms().data?.[0]
  const placeholders = usePlaceholders().data ?? []
  const draft: Template[] = short || long ? [{ on: kind, short, long }] : []
  const preview = useQuery({
    queryKey: keyOf('preview', kind, draft, newest?.id),
    retry: false,
    placeholderData: (old) => old,
    queryFn: () =>
      take(
        api.POST('/api/v1/previews', {
          body: { on: kind, templates: draft, alarm: newest?.id ?? 0 },
        }),
      ),
  })
  const save = useSave(async () => {
    const next = [...templates.filter((t) => t.on !== kind), ...draft]
    const contact = contacts.find((c) => c.name === whose)
    if (contact) return void (await saveContact({ ...contact, templates: next }))
    const guard = guards.find((g) => guardKey(g.name) === whose)
    if (guard) return void (await saveGuardWords(guard, next))
    const { tell, heartbeat, quiet_word, flood } = reach!
    await take(api.PUT('/api/v1/site/reach', { body: { tell, heartbeat, quiet_word, flood, templates: next } }))
  }, unsaved)
  return (
    <>
      <Form may={keeper} unsaved={unsaved} width="middle" save={save}>
        <Written
          label="Short text"
          value={short}
          onChange={(short) => setDraft({ short, long })}
          hint="subject, text message, what a call says; as built in when empty"
        />
        <Written
          label="Long text"
          value={long}
          onChange={(long) => setDraft({ short, long })}
          rows={4}
          hint="the body of an e-mail"
        />
        <Send send="Save" sent="Saved." />
        {preview.error && <Failure error={preview.error} />}
      </Form>
      <Details title="What can stand in double braces">
        <ul>
          {placeholders.map((p) => (
            <li key={p.name}>
              <code>{`{{${p.name}}}`}</code> {p.doc}
            </li>
          ))}
        </ul>
      </Details>
      {preview.data && (
        <>
          <Subheading>How it reads{newest && ', with the values of the newest alarm'}</Subheading>
          {preview.data.forms.map((f) => (
            <Well key={f.carrier}>
              <Soft>
                {carriers[f.carrier as Carrier]} · {f.characters} characters
                {f.messages > 0 && `, ${f.messages} text message${f.messages > 1 ? 's' : ''}`}
              </Soft>
              {f.subject && (
                <div>
                  <b>{f.subject}</b>
                </div>
              )}
              <AsWritten>{f.text.trim()}</AsWritten>
            </Well>
          ))}
        </>
      )}
    </>
  )
}
