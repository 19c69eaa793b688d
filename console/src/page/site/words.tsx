import { Details } from '../../ui/disclosure'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useAlarms } from '../../api/alarm'
import { keyOf } from '../../api/changes'
import { type Answer, api, type Precondition, take, type Template } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { useGuards } from '../../api/guard'
import { type Carrier, carriers, useContacts } from '../../api/people'
import { usePlaceholders, useSession } from '../../api/site'
import { Above, AsWritten, Failure, Heading, PlainLink, Prose, Row, Soft, Subheading, Well } from '../../ui/basics'
import { Changing } from '../../ui/changing'
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

const contactKey = (name?: string) => `contact ${name}`
const guardKey = (name?: string) => `guard ${name}`

type Worded = { templates?: Template[] }

/** Where the words of somebody or something stand. */
function placeOf(whose: string) {
  const [kind, name = ''] = whose.split(' ')
  if (kind === 'contact') {
    const path = { contact: name }
    return {
      look: (): Promise<Answer<Worded>> => api.GET('/api/v1/contacts/{contact}', { params: { path } }),
      save: (header: Precondition, body: Worded): Promise<Answer<Worded>> =>
        api.PATCH('/api/v1/contacts/{contact}', { params: { path, header }, body }),
    }
  }
  if (kind === 'guard') {
    const path = { guard: name }
    return {
      look: (): Promise<Answer<Worded>> => api.GET('/api/v1/guards/{guard}', { params: { path } }),
      save: (header: Precondition, body: Worded): Promise<Answer<Worded>> =>
        api.PATCH('/api/v1/guards/{guard}', { params: { path, header }, body }),
    }
  }
  return {
    look: (): Promise<Answer<Worded>> => api.GET('/api/v1/site/reach'),
    save: (header: Precondition, body: Worded): Promise<Answer<Worded>> =>
      api.PATCH('/api/v1/site/reach', { params: { header }, body }),
  }
}

/** The words of messages: how they read, and words of one's own. */
export function Words() {
  const [kind, setKind] = useState<Kind>('raise')
  const [whose, setWhose] = useState('')
  const contacts = useContacts().data ?? []
  const owner = useSession().data?.role === 'owner'
  const guards = useGuards().data ?? []
  const options = {
    ...(owner ? { '': 'the site' } : {}),
    ...Object.fromEntries(contacts.map((c) => [contactKey(c.name), c.title || c.name!])),
    ...Object.fromEntries(guards.map((g) => [guardKey(g.name), `guard ${g.name}`])),
  }
  const place = placeOf(whose)
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
      <Changing key={`${whose} ${kind}`} of={`words ${whose} ${kind}`} look={place.look}>
        {({ templates }, under) => (
          <Writing
            kind={kind}
            whose={whose}
            templates={templates ?? []}
            save={(templates) => under((header) => place.save(header, { templates }))}
          />
        )}
      </Changing>
    </>
  )
}

type WritingProps = {
  kind: Kind
  whose: string
  templates: Template[]
  save: (templates: Template[]) => Promise<Worded>
}

function Writing({ kind, whose, templates, save: put }: WritingProps) {
  const own = templates.find((t) => t.on === kind)
  const [{ short, long }, setDraft, unsaved] = useDraft(`words ${whose} ${kind}`, {
    short: own?.short ?? '',
    long: own?.long ?? '',
  })
  const keeper = useSession().data?.role !== 'viewer'
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
  const save = useSave(() => put([...templates.filter((t) => t.on !== kind), ...draft]), unsaved)
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
