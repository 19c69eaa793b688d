import { type FormEvent, useState } from 'react'
import { useNavigate, useParams } from 'react-router'
import { api, type DeviceChange, type DeviceStory, take } from '../api/client'
import { useNow } from '../api/live'
import { stateWords, titleOf, useOutputs } from '../api/outputs'
import { useAct, useCode, useDevice, useSession, useSignals, useSite } from '../api/queries'
import { age, clock, lifeWords, readsAs, settingsWords, troubles } from '../api/words'
import {
  Above,
  Button,
  Failure,
  Heading,
  PlainLink,
  Prose,
  QuietButton,
  QuietLink,
  Row,
  Soft,
  Subheading,
  Well,
} from '../ui/basics'
import { fieldsOf, Form, TextInput } from '../ui/form'
import { Silent } from '../ui/severity'
import { CodeTexts } from './code-texts'
import { Keys } from './device-keys'
import { FaultFields, faultsSaid } from './fault-fields'
import { FramesLink } from './frames-link'

/** One device: how it lives, what it sends, what it is ordered, its keys. */
export function DevicePage() {
  const { device: name = '' } = useParams()
  const now = useNow()
  const story = useDevice(name)
  const signals = (useSignals().data ?? []).filter((s) => s.device === name)
  const role = useSession().data?.role
  if (story.error) return <Failure error={story.error} />
  if (!story.data) return <Soft>Looking …</Soft>
  const d = story.data
  const title = d.title
  return (
    <>
      <title>{`${title} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/devices">Devices</PlainLink> · {d.name}
      </Above>
      <Heading>{title}</Heading>
      <Prose data-life={d.life}>
        {(d.life === 'silent' || d.life === 'overdue') && <Silent word={d.life} />} {capital(lifeWords(d, now))}
        {d.interval !== '0s' && `, expected every ${d.interval}`}
        {d.protocol && ` · over ${d.protocol} from ${d.address}`}
        {d.connected && ' · connected'}
        {d.behind && ` · behind ${d.behind}`}
        {d.kit && ` · made from the kit ${d.kit}`}
        {d.firmware && ` · firmware ${d.firmware}`}
      </Prose>
      {troubles(d, now).map((t) => (
        <Prose key={t}>{t}</Prose>
      ))}
      <Subheading>What it sends</Subheading>
      {signals.some((s) => s.name === 'hottest-x') && (
        <FramesLink device={d.name}>Look at its thermal frames</FramesLink>
      )}
      {signals.length === 0 ? (
        <Prose>Nothing yet. Signals appear by themselves at the first reading.</Prose>
      ) : (
        <ul>
          {signals.map((s) => (
            <li key={s.id}>
              <PlainLink href={`/signals/${s.device}/${s.name}`}>{s.title}</PlainLink>: {readsAs(s)}{' '}
              <Soft>· {age(s.at, now)}</Soft> {s.silent_since && <Silent />}
            </li>
          ))}
        </ul>
      )}
      <Switches device={d.name} keeper={role !== 'viewer'} />
      <SettingsDown device={d} keeper={role !== 'viewer'} />
      {role !== 'viewer' && signals.some((v) => v.warm_up !== '0s') && <PowerOn device={d.name} />}
      {role !== 'viewer' && <Expected key={d.interval} device={d} />}
      <Keys device={d} owner={role === 'owner'} />
      <Ready device={d} />
      {role === 'owner' && <Leave device={d} />}
    </>
  )
}

/** What it can switch or set. */
function Switches({ device, keeper }: { device: string; keeper: boolean }) {
  const outputs = (useOutputs().data?.outputs ?? []).filter((o) => o.device === device)
  if (!outputs.length && !keeper) return null
  return (
    <>
      <Subheading>What it can switch</Subheading>
      {outputs.length > 0 && (
        <ul>
          {outputs.map((o) => (
            <li key={o.id}>
              <PlainLink href={`/outputs/${o.device}/${o.name}`}>{titleOf(o)}</PlainLink>: {stateWords(o, o.ordered)}{' '}
              <Soft>· {o.why}</Soft>
            </li>
          ))}
        </ul>
      )}
      {keeper && <QuietLink href={`/outputs/new?device=${device}`}>Add an output</QuietLink>}
    </>
  )
}

/** Says that a device was switched on: its signals warm up from now. */
function PowerOn({ device }: { device: string }) {
  const on = useAct(() =>
    take(api.POST('/api/v1/devices/{device}/power-on', { params: { path: { device } }, body: {} })),
  )
  return (
    <Row style={{ marginTop: 'var(--gap-3)' }}>
      <QuietButton onPress={() => on.mutate(undefined)} isDisabled={on.isPending}>
        It was switched on just now
      </QuietButton>
      <Soft role="status">
        {on.isSuccess ? 'Noted: its signals warm up.' : 'Signals that need it then warm up before they count.'}
      </Soft>
      {on.error && <Failure error={on.error} />}
    </Row>
  )
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)

/** What it is ordered, and what it runs. */
function SettingsDown({ device: d, keeper }: { device: DeviceStory; keeper: boolean }) {
  const [open, setOpen] = useState(false)
  const order = useAct((body: DeviceStory['settings']) =>
    take(api.PUT('/api/v1/devices/{device}/settings', { params: { path: { device: d.name } }, body })),
  )
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const { interval, sparing_interval, values } = fieldsOf(e.currentTarget)
    order.mutate({ interval, sparing_interval, values: pairs(values ?? '') }, { onSuccess: () => setOpen(false) })
  }
  const behind = d.settings_version > 0 && d.running_version !== d.settings_version
  return (
    <>
      <Subheading>Settings</Subheading>
      <Prose data-settings>
        {d.settings_version === 0 ? 'Nothing is ordered.' : `Ordered: ${settingsWords(d.settings)}.`}{' '}
        {behind &&
          (d.running_at ? (
            <b>The device runs {settingsWords(d.running)}.</b>
          ) : (
            <b>The device has not said what it runs.</b>
          ))}
        {d.settings_version > 0 && !behind && 'The device runs this.'}
      </Prose>
      {keeper && !open && <QuietButton onPress={() => setOpen(true)}>Order settings</QuietButton>}
      {open && (
        <Form onSubmit={submit}>
          <TextInput
            label="Measure every"
            name="interval"
            optional
            hint="1s to 1d, like 5m"
            defaultValue={said(d.settings.interval)}
          />
          <TextInput
            label="When the battery is low, every"
            name="sparing_interval"
            optional
            defaultValue={said(d.settings.sparing_interval)}
          />
          <TextInput
            label="Keys and values"
            name="values"
            optional
            hint="Like lamp=off tune=3"
            defaultValue={Object.entries(d.settings.values ?? {})
              .map(([k, v]) => `${k}=${v}`)
              .join(' ')}
          />
          {order.error && <Failure error={order.error} />}
          <Row>
            <Button type="submit" isDisabled={order.isPending}>
              Order it
            </Button>
            <QuietButton onPress={() => setOpen(false)}>Leave it</QuietButton>
          </Row>
        </Form>
      )}
    </>
  )
}

const said = (interval?: string) => (interval && interval !== '0s' ? interval : '')

const pairs = (text: string) =>
  Object.fromEntries(
    text
      .split(/\s+/)
      .filter(Boolean)
      .map((pair) => {
        const at = pair.indexOf('=')
        return at < 0 ? [pair, ''] : [pair.slice(0, at), pair.slice(at + 1)]
      }),
  )

/** How often something is expected of it. */
function Expected({ device: d }: { device: DeviceStory }) {
  const set = useAct((body: DeviceChange) =>
    take(api.PATCH('/api/v1/devices/{device}', { params: { path: { device: d.name } }, body })),
  )
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const f = fieldsOf(e.currentTarget)
    set.mutate({ interval: f.interval ?? '0s', clock_offset: Number(f.clock_offset ?? 0), ...faultsSaid(f) })
  }
  const unsaid = d.interval === '0s' || (d.running_version === 0 && d.proposed_interval !== d.interval)
  const proposed = unsaid && d.proposed_interval !== '0s' ? d.proposed_interval : ''
  return (
    <>
      <Subheading>What is expected of it</Subheading>
      {proposed && (
        <Prose>
          It seems to send every {proposed}.{' '}
          <QuietButton onPress={() => set.mutate({ interval: proposed })}>Expect that</QuietButton>
        </Prose>
      )}
      <Form onSubmit={submit}>
        <TextInput
          label="Something every"
          name="interval"
          optional
          hint="After three of these without a word it is silent; empty: never"
          defaultValue={said(d.interval)}
        />
        <TextInput
          label="Clock offset"
          name="clock_offset"
          optional
          hint="Seconds added to the times it sends"
          defaultValue={d.clock_offset ? String(d.clock_offset) : ''}
        />
        <FaultFields faults={d.faults} what="Silence and other faults" otherwise="its guards" />
        <Row>
          <Button type="submit" isDisabled={set.isPending}>
            Set it
          </Button>
        </Row>
      </Form>
      <Row style={{ marginTop: 12 }}>
        <QuietButton onPress={() => set.mutate({ silence_alarm: !d.silence_alarm })}>
          {d.silence_alarm ? 'Raise no alarm when it is silent' : 'Raise an alarm when it is silent'}
        </QuietButton>
        <QuietButton onPress={() => set.mutate({ closed: !d.closed })}>
          {d.closed ? 'Let new signals appear' : 'Close it: no new signals'}
        </QuietButton>
      </Row>
      {set.error && <Failure error={set.error} />}
    </>
  )
}

function Ready({ device: d }: { device: DeviceStory }) {
  const [open, setOpen] = useState(false)
  const code = useCode(d.name)
  return (
    <>
      <Subheading>Ready text</Subheading>
      {open ? (
        <CodeTexts texts={code.data ?? []} />
      ) : (
        <QuietButton onPress={() => setOpen(true)}>Show the text that connects it</QuietButton>
      )}
    </>
  )
}

/** Deleting it, with its readings offered first. */
function Leave({ device: d }: { device: DeviceStory }) {
  const [sure, setSure] = useState(false)
  const navigate = useNavigate()
  const zone = useSite().data?.zone ?? 'UTC'
  const [kit, setKit] = useState('')
  const save = useAct((name: string) =>
    take(api.POST('/api/v1/kits/{kit}/from-device', { params: { path: { kit: name } }, body: { device: d.name } })),
  )
  const remove = useAct(() => take(api.DELETE('/api/v1/devices/{device}', { params: { path: { device: d.name } } })))
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const { kit: name } = fieldsOf(e.currentTarget)
    if (name) save.mutate(name, { onSuccess: () => setKit(name) })
  }
  return (
    <>
      <Subheading>A kit of it</Subheading>
      {kit ? (
        <Prose>
          Saved as <PlainLink href={`/devices/kits/${kit}`}>{kit}</PlainLink>.
        </Prose>
      ) : (
        <Form onSubmit={submit}>
          <TextInput label="Kit name" name="kit" hint="Describes this sort of device, to make more of it" />
          <Row>
            <QuietButton type="submit">Save a kit of it</QuietButton>
          </Row>
          {save.error && <Failure error={save.error} />}
        </Form>
      )}
      <Subheading>Delete it</Subheading>
      {sure ? (
        <Well role="group" aria-label="Delete the device">
          <Prose>
            {d.name} goes with its {d.signals} signals, their guards and all readings since{' '}
            {clock(d.created_at, zone, { day: 'numeric', month: 'long', year: 'numeric' })}. Its key is remembered: when
            it sends again, it waits as an arrival.
          </Prose>
          <Row>
            <QuietLink href={`/api/v1/export?names=bare&what=${d.name}`} download>
              Download its readings first
            </QuietLink>
            <Button onPress={() => remove.mutate(undefined, { onSuccess: () => void navigate('/devices') })}>
              Delete it for good
            </Button>
            <QuietButton onPress={() => setSure(false)}>Keep it</QuietButton>
          </Row>
          {remove.error && <Failure error={remove.error} />}
        </Well>
      ) : (
        <QuietButton onPress={() => setSure(true)}>Delete the device …</QuietButton>
      )}
    </>
  )
}
