import { type AddedDevice, api, take } from '../../api/client'
import { useDevice, useDevices, useKits } from '../../api/device'
import { type FormDraft, useFormDraft } from '../../api/drafts'
import { useNow } from '../../api/live'
import { useSignals } from '../../api/signal'
import { useSession } from '../../api/site'
import { readsAs, troubles } from '../../api/words'
import { CodeTexts } from './code-texts'
import { Above, Code, Heading, PlainLink, Prose, QuietLink, Soft, Subheading, Well } from '../../ui/basics'
import { Form, Pick, type Save, Send, TextInput, useSave } from '../../ui/form'

/** Connecting a device: its name, its key and ready text, and a line that waits for its first reading. */
export function Connect() {
  const draft = useFormDraft('new device')
  const add = useSave(
    ({ name = '', ...f }) =>
      take(api.POST('/api/v1/devices', { body: { name, title: f.title, kit: f.kit, behind: f.behind } })),
    draft.unsaved,
  )
  const owner = useSession().data?.role === 'owner'
  return (
    <>
      <title>Connect a device · Jaunty Lark</title>
      <Above>
        <PlainLink href="/devices">Devices</PlainLink>
      </Above>
      {add.data ? (
        <Connected device={add.data} />
      ) : (
        <>
          <Heading>Connect a device</Heading>
          {owner ? <NewDevice save={add} draft={draft} /> : <Prose>Connecting a device takes the role owner.</Prose>}
        </>
      )}
    </>
  )
}

function NewDevice({ save, draft }: { save: Save; draft: FormDraft }) {
  const kits = useKits().data ?? []
  const gateways = (useDevices().data ?? []).filter((d) => !d.behind)
  return (
    <Form save={save} draft={draft}>
      <TextInput
        label="Name"
        name="name"
        hint="letters a to z, digits and -, like greenhouse-door"
        autoComplete="off"
      />
      <TextInput label="Title" name="title" optional hint="made from the name when left out" />
      {kits.length > 0 && (
        <Pick
          label="Kit"
          name="kit"
          none="None: signals appear by themselves"
          options={kits.map((k) => ({ value: k.name, text: k.title || k.name }))}
        />
      )}
      {gateways.length > 0 && (
        <Pick
          label="Behind a gateway"
          name="behind"
          none="No"
          options={gateways.map((d) => ({ value: d.name, text: d.title ?? d.name }))}
        />
      )}
      <Send send="Add" />
    </Form>
  )
}

function Connected({ device }: { device: AddedDevice }) {
  return (
    <>
      <Heading>{device.title} is added</Heading>
      <Prose>Its key is told once, here. It also stands in the text below.</Prose>
      <Code data-key>{device.key}</Code>
      <Subheading>Send a first reading</Subheading>
      <CodeTexts texts={device.code} />
      <Waiting name={device.name} />
    </>
  )
}

/** Waits for the first reading, and says what is wrong with what comes instead. */
function Waiting({ name }: { name: string }) {
  const now = useNow()
  const story = useDevice(name, 1000).data
  // In the order in which they came.
  const signals = (useSignals().data ?? []).filter((s) => s.device === name && s.at).sort((a, b) => a.id - b.id)
  const wrong = story ? troubles(story, now) : []
  return (
    <Well role="status">
      {signals.length === 0 ? (
        <Prose>Waiting for the first reading of {name} …</Prose>
      ) : (
        <>
          <Prose>
            <b>It is here.</b>
          </Prose>
          <ul>
            {signals.map((s) => (
              <li key={s.id}>
                <PlainLink href={`/signals/${s.device}/${s.name}`}>{s.name}</PlainLink>: {readsAs(s)}{' '}
                {!s.unit && s.kind === 'number' && <Soft>(no unit said)</Soft>}
              </li>
            ))}
          </ul>
          <p>
            <QuietLink href={`/devices/of/${name}`}>Open the device</QuietLink>
          </p>
        </>
      )}
      {wrong.map((w) => (
        <Prose key={w}>{w}</Prose>
      ))}
    </Well>
  )
}
