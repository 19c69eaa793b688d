import { useState } from 'react'
import { useNavigate, useParams } from 'react-router'
import { api, type DeviceChange, type DeviceStory, take } from '../../api/client'
import { lookAtDevice, useCode, useDevice } from '../../api/device'
import { type FormDraft, useFormDraft } from '../../api/drafts'
import { useNow } from '../../api/live'
import { stateWords, titleOf, useOutputs } from '../../api/output'
import { useAct } from '../../api/queries'
import { useSignals } from '../../api/signal'
import { useSession, useSite } from '../../api/site'
import { age, capital, clock, counted, lifeWords, readsAs, settingsWords, troubles, inWords } from '../../api/words'
import { CodeTexts } from './code-texts'
import { FramesLink } from './frames-link'
import { Keys } from './keys'
import { FaultFields, faultsSaid } from '../guard/fault-fields'
import {
  Above,
  Failure,
  Heading,
  PlainLink,
  Prose,
  QuietButton,
  QuietLink,
  Row,
  Soft,
  Subheading,
} from '../../ui/basics'
import { Changing, type SaveUnder } from '../../ui/changing'
import { Form, Send, TextInput, useSave } from '../../ui/form'
import { NoPage } from '../../ui/no-page'
import { NumberField } from '../../ui/number'
import { Opens } from '../../ui/opens'
import { Silent } from '../../ui/severity'
import { Removal } from '../../ui/sure'

/** One device: how it lives, what it sends, what it is ordered, its keys. */
export function DevicePage() {
  const { device: name = '' } = useParams()
  const now = useNow()
  const story = useDevice(name)
  const signals = (useSignals().data ?? []).filter((s) => s.device === name)
  const role = useSession().data?.role
  if (story.error) return <NoPage error={story.error} />
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
        {d.interval > 0 && `, expected every ${inWords(d.interval)}`}
        {d.protocol && ` · over ${d.protocol} from ${d.address}`}
        {d.connected && ' · connected'}
        {d.behind && ` · behind ${d.behind}`}
        {d.kit && ` · made from the kit ${d.kit}`}
        {d.firmware && ` · firmware ${d.firmware}`}
      </Prose>
      {troubles(d, now).map((t) => (
        <Prose key={t}>{t}</Prose>
      ))}
      <Subheading>Signals</Subheading>
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
      {role !== 'viewer' && signals.some((v) => v.warm_up > 0) && <PowerOn device={d.name} />}
      <Changing key={d.interval} of={`device ${d.name}`} look={() => lookAtDevice(d.name)} kept={d}>
        {(begun, save) => <Expected device={d} begun={begun} saveUnder={save} keeper={role !== 'viewer'} />}
      </Changing>
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
      <Subheading>Outputs</Subheading>
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
    <Row $above={3}>
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

/** What it is ordered, and what it runs. */
function SettingsDown({ device: d, keeper }: { device: DeviceStory; keeper: boolean }) {
  const draft = useFormDraft(`settings of ${d.name}`)
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
      {keeper && (
        <Opens name="Order settings …" startOpen={draft.unsaved.at !== undefined}>
          {(close) => <OrderForm device={d} draft={draft} onClose={close} />}
        </Opens>
      )}
    </>
  )
}

type OrderProps = { device: DeviceStory; draft: FormDraft; onClose: () => void }

function OrderForm({ device: d, draft, onClose }: OrderProps) {
  const order = useSave(
    ({ interval, sparing_interval, values = '' }) =>
      take(
        api.PUT('/api/v1/devices/{device}/settings', {
          params: { path: { device: d.name } },
          body: { interval, sparing_interval, values: pairs(values) },
        }),
      ),
    draft.unsaved,
    onClose,
  )
  return (
    <Form save={order} draft={draft}>
      <TextInput
        label="Measuring interval"
        name="interval"
        optional
        hint="1s to 1d, like 5m"
        defaultValue={said(d.settings.interval)}
      />
      <TextInput
        label="Interval when the battery is low"
        name="sparing_interval"
        optional
        defaultValue={said(d.settings.sparing_interval)}
      />
      <TextInput
        label="Keys and values"
        name="values"
        optional
        hint="like lamp=off tune=3"
        defaultValue={Object.entries(d.settings.values ?? {})
          .map(([k, v]) => `${k}=${v}`)
          .join(' ')}
      />
      <Send send="Order" onCancel={onClose} />
    </Form>
  )
}

const said = (interval?: number) => (interval ? inWords(interval) : '')

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

type ExpectedProps = { device: DeviceStory; begun: DeviceStory; saveUnder: SaveUnder; keeper: boolean }

/** How often something is expected of it. */
function Expected({ device: d, begun, saveUnder, keeper }: ExpectedProps) {
  const draft = useFormDraft(`device ${d.name}`)
  const change = (body: DeviceChange) =>
    saveUnder((header) => api.PATCH('/api/v1/devices/{device}', { params: { path: { device: d.name }, header }, body }))
  const save = useSave(
    (f) => change({ interval: f.interval ?? 0, clock_offset: Number(f.clock_offset ?? 0), ...faultsSaid(f) }),
    draft.unsaved,
  )
  const set = useAct(change)
  const unsaid = d.interval === 0 || (d.running_version === 0 && d.proposed_interval !== d.interval)
  const proposed = unsaid && d.proposed_interval > 0 ? inWords(d.proposed_interval) : ''
  return (
    <>
      <Subheading>Expectations</Subheading>
      {proposed && keeper && (
        <Prose>
          It seems to send every {proposed}.{' '}
          <QuietButton onPress={() => set.mutate({ interval: proposed })}>Expect that</QuietButton>
        </Prose>
      )}
      <Form save={save} may={keeper} draft={draft}>
        <TextInput
          label="Expected interval"
          name="interval"
          optional
          hint="after three of these without a word it is silent; empty: never"
          defaultValue={said(begun.interval)}
        />
        <NumberField
          label="Clock offset"
          unit="s"
          name="clock_offset"
          optional
          hint="added to the times it sends"
          defaultValue={begun.clock_offset || null}
        />
        <FaultFields faults={begun.faults} what="silence and other faults" otherwise="its guards" />
        <Send send="Save" />
      </Form>
      {keeper && (
        <Row $above={3}>
          <QuietButton onPress={() => set.mutate({ silence_alarm: !d.silence_alarm })}>
            {d.silence_alarm ? 'Raise no alarm when it is silent' : 'Raise an alarm when it is silent'}
          </QuietButton>
          <QuietButton onPress={() => set.mutate({ closed: !d.closed })}>
            {d.closed ? 'Let new signals appear' : 'Let no new signals appear'}
          </QuietButton>
        </Row>
      )}
      {set.error && <Failure error={set.error} />}
    </>
  )
}

function Ready({ device: d }: { device: DeviceStory }) {
  const code = useCode(d.name)
  return (
    <>
      <Subheading>Ready text</Subheading>
      <Opens name="Show the text that connects it">{() => <CodeTexts texts={code.data ?? []} />}</Opens>
    </>
  )
}

/** Making a kit of it, and removing it. */
function Leave({ device: d }: { device: DeviceStory }) {
  const navigate = useNavigate()
  const zone = useSite().data?.zone ?? 'UTC'
  const [kit, setKit] = useState('')
  const draft = useFormDraft(`kit of ${d.name}`)
  const save = useSave(async ({ kit: name = '' }) => {
    await take(
      api.POST('/api/v1/kits/{kit}/from-device', { params: { path: { kit: name } }, body: { device: d.name } }),
    )
    setKit(name)
  }, draft.unsaved)
  const remove = () => take(api.DELETE('/api/v1/devices/{device}', { params: { path: { device: d.name } } }))
  return (
    <>
      <Subheading>Kit</Subheading>
      {kit ? (
        <Prose role="status">
          Saved as <PlainLink href={`/devices/kits/${kit}`}>{kit}</PlainLink>.
        </Prose>
      ) : (
        <Form save={save} draft={draft}>
          <TextInput label="Kit name" name="kit" hint="describes this sort of device, to make more of it" />
          <Send send="Save a kit of it" quiet />
        </Form>
      )}
      <Removal
        name={`Remove the device ${d.name}`}
        says={
          <>
            It goes with its {counted(d.signals, 'signal', 'signals')}, their guards and all readings since{' '}
            {clock(d.created_at, zone, { day: 'numeric', month: 'long', year: 'numeric' })}. Its key is remembered: when
            it sends again, it waits as an arrival.{' '}
            <QuietLink href={`/api/v1/export?names=bare&what=${d.name}`} download>
              Export its readings first
            </QuietLink>
          </>
        }
        act={remove}
        gone={{ kind: 'device', name: d.name }}
        done={() => void navigate('/devices')}
      />
    </>
  )
}
