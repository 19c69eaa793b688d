import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { keyOf } from '../../api/changes'
import { api, type Reader, type ReaderKey, take } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { useDevices } from '../../api/device'
import { useAct } from '../../api/queries'
import { useSession, useSite } from '../../api/site'
import { clock } from '../../api/words'
import {
  Above,
  Code,
  Columns,
  Failure,
  Heading,
  PlainLink,
  Prose,
  QuietButton,
  Row,
  Scroll,
  Soft,
  Subheading,
  Table,
} from '../../ui/basics'
import { Fields, Form, Send, TextInput, useSave, Written } from '../../ui/form'
import { Opens } from '../../ui/opens'
import { PickMany } from '../../ui/picks'
import { Sure } from '../../ui/sure'

type Kind = NonNullable<Reader['kinds']>[number]
const kinds: { value: Kind; text: string; says: string }[] = [
  { value: 'readings', text: 'Readings', says: 'new, late, corrected, cleared' },
  { value: 'alarm', text: 'Alarms', says: 'raised, taken, over; over MQTT, how they stand, with all devices' },
  { value: 'journal', text: 'The rest of the journal', says: 'what people do and set up, and what devices say' },
]

const list = (some: string[], none: string) => (some.length > 0 ? some.join(', ') : none)

const newKey = (reader: string) => take(api.POST('/api/v1/readers/{reader}/key', { params: { path: { reader } } }))

/** Programs that read what changes, each with a key of its own. */
export function Readers() {
  const zone = useSite().data?.zone ?? 'UTC'
  const me = useSession().data
  const owner = me?.role === 'owner'
  const [told, setTold] = useState<ReaderKey & { of: string }>()
  const readers = useQuery({
    queryKey: keyOf('readers'),
    queryFn: () => take(api.GET('/api/v1/readers')),
    enabled: owner,
  })
  const rotate = useAct((of: string) => newKey(of).then((key) => setTold({ ...key, of })))
  const remove = (reader: string) => take(api.DELETE('/api/v1/readers/{reader}', { params: { path: { reader } } }))
  return (
    <>
      <title>Readers · Jaunty Lark</title>
      <Above>
        <PlainLink href="/set-up">Set-up</PlainLink>
      </Above>
      <Heading>Readers</Heading>
      <Prose>
        A reader is a program of yours that is told what changes, over HTTP or MQTT, with a key that opens nothing else.
      </Prose>
      {!owner && <Prose>Only owners see them. You are {me?.role}.</Prose>}
      {readers.error && <Failure error={readers.error} />}
      {told && (
        <>
          <Prose role="status">
            The key of {told.of}, shown this once; over MQTT the user is {told.user}:
          </Prose>
          <Code data-reader-key>{told.key}</Code>
          {told.secret && <Prose>What is posted to it is signed with:</Prose>}
          {told.secret && <Code>{told.secret}</Code>}
        </>
      )}
      {readers.data && readers.data.length > 0 && (
        <Scroll>
          <Table>
            <Columns names={['Name', 'Kinds', 'Devices', 'Since', '']} />
            <tbody>
              {readers.data.map((r) => (
                <tr key={r.name} data-reader={r.name}>
                  <td>
                    {r.name}
                    {r.url && <br />}
                    {r.url && <Soft>posted to {r.url}</Soft>}
                    {r.failing && <br />}
                    {r.failing && <Soft>not taken: {r.failing}</Soft>}
                  </td>
                  <td>{list(r.kinds ?? [], 'all that changes')}</td>
                  <td>{list(r.devices ?? [], 'all devices')}</td>
                  <td>{clock(r.made_at, zone, { day: 'numeric', month: 'short', year: 'numeric' })}</td>
                  <td>
                    {owner && (
                      <Row>
                        <QuietButton onPress={() => rotate.mutate(r.name)} aria-label={`New key for ${r.name}`}>
                          New key
                        </QuietButton>
                        {r.url && <PostAgain reader={r} />}
                        <Sure
                          name={`Remove ${r.name}`}
                          short="Remove"
                          says="What reads with its key is cut off at once, for good."
                          act={() => remove(r.name)}
                        />
                      </Row>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
      {readers.data?.length === 0 && <Prose>There are none yet.</Prose>}
      {rotate.error && <Failure error={rotate.error} />}
      {owner && <AddReader told={setTold} />}
    </>
  )
}

/** Has the feed posted once more, from a place on that the reader names. */
function PostAgain({ reader: r }: { reader: Reader }) {
  return (
    <Opens name="Post again …" label={`Post again to ${r.name} …`}>
      {(close) => <PostAgainForm reader={r} close={close} />}
    </Opens>
  )
}

function PostAgainForm({ reader: r, close }: { reader: Reader; close: () => void }) {
  const rewind = useSave(
    ({ cursor = '' }) =>
      take(api.POST('/api/v1/readers/{reader}/rewind', { params: { path: { reader: r.name } }, body: { cursor } })),
    undefined,
    close,
  )
  return (
    <Form save={rewind}>
      <TextInput
        label="Post what comes after"
        name="cursor"
        autoComplete="off"
        hint={`the number of a commit of the last week; up to ${r.cursor} is taken`}
      />
      <Send send="Post again" onCancel={close} />
    </Form>
  )
}

const blank = { name: '', url: '', kinds: [] as Kind[], devices: [] as string[] }

function AddReader({ told }: { told: (key: ReaderKey & { of: string }) => void }) {
  const devices = useDevices().data ?? []
  const [d, setDraft, unsaved] = useDraft('new reader', blank)
  const add = useSave(
    () =>
      take(
        api.PUT('/api/v1/readers/{reader}', {
          params: { path: { reader: d.name }, header: { 'If-None-Match': '*' } },
          body: { kinds: d.kinds, devices: d.devices, url: d.url },
        }),
      ).then(() => newKey(d.name)),
    undefined,
    (key) => {
      told({ ...key, of: d.name })
      unsaved.reset(blank)
    },
  )
  return (
    <>
      <Subheading>Add a reader</Subheading>
      <Form unsaved={unsaved} width="middle" save={add}>
        <Fields>
          <Written label="Name" value={d.name} onChange={(name) => setDraft({ ...d, name })} hint="like spreadsheet" />
          <Written
            label="Address"
            value={d.url}
            onChange={(url) => setDraft({ ...d, url })}
            hint="where what changes is posted; it asks itself when empty"
          />
        </Fields>
        <Prose>It is told these; all where none is ticked:</Prose>
        <PickMany
          label="Kinds"
          items={kinds}
          picked={d.kinds}
          onChange={(k) => setDraft({ ...d, kinds: k as Kind[] })}
        />
        <Prose>Of these devices; of all where none is ticked:</Prose>
        <PickMany
          label="Devices"
          items={devices.map((v) => ({ value: v.name, text: v.title || v.name }))}
          picked={d.devices}
          onChange={(picked) => setDraft({ ...d, devices: picked })}
          none="There are no devices yet."
        />
        <Send send="Add, and make a key" off={!d.name} />
      </Form>
    </>
  )
}
