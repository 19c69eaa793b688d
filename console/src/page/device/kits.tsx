import { useNavigate, useParams } from 'react-router'
import { api, type Kit, take } from '../../api/client'
import { lookAtKit, useDevices, useKitChanges, useKits } from '../../api/device'
import { hasDraft, useDraft } from '../../api/drafts'
import { useAct } from '../../api/queries'
import { useSession } from '../../api/site'
import { shown } from '../../api/words'
import {
  Above,
  Button,
  Code,
  Columns,
  Failure,
  Heading,
  PlainLink,
  Prose,
  Scroll,
  Soft,
  Subheading,
  Table,
} from '../../ui/basics'
import { Form, Send, useSave, Written } from '../../ui/form'
import { NoPage } from '../../ui/no-page'
import { Changing, saveAsNew, type SaveUnder } from '../../ui/changing'
import { Opens } from '../../ui/opens'
import { Sure } from '../../ui/sure'

/** Descriptions of sorts of devices. */
export function Kits() {
  const kits = useKits()
  const devices = useDevices().data ?? []
  const keeper = useSession().data?.role !== 'viewer'
  if (kits.error) return <NoPage error={kits.error} />
  if (!kits.data) return <Soft>Looking …</Soft>
  return (
    <>
      <title>Kits · Jaunty Lark</title>
      <Above>
        <PlainLink href="/devices">Devices</PlainLink>
      </Above>
      <Heading>Kits</Heading>
      <Prose>
        A kit describes one sort of device: its signals, how often it sends, its first guards. A device made from it
        works at once.
      </Prose>
      {kits.data.length === 0 ? (
        <>
          <Prose>None yet. Make one of a device on its page, write one here, or load a file:</Prose>
          <Code>jaunty kit set pond-probe.yaml</Code>
        </>
      ) : (
        <ul>
          {kits.data.map((k) => (
            <li key={k.name}>
              <PlainLink href={`/devices/kits/${k.name}`}>{k.title || k.name}</PlainLink>{' '}
              <Soft>
                · {(k.signals ?? []).map((s) => s.name).join(', ')} · {devices.filter((d) => d.kit === k.name).length}{' '}
                devices
              </Soft>
            </li>
          ))}
        </ul>
      )}
      {keeper && <KitText kit={{ name: '', signals: [] }} />}
    </>
  )
}

/** One kit, and what applying it would change of its devices. */
export function KitPage() {
  const { kit: name = '' } = useParams()
  const kits = useKits()
  const changes = useKitChanges(name)
  const keeper = useSession().data?.role !== 'viewer'
  const apply = useAct(() => take(api.POST('/api/v1/kits/{kit}/apply', { params: { path: { kit: name } }, body: {} })))
  const kit = kits.data?.find((k) => k.name === name)
  if (kits.error) return <NoPage error={kits.error} />
  if (!kits.data) return <Soft>Looking …</Soft>
  if (!kit) return <NoPage error={new Error(`There is no kit ${name}.`)} />
  const offers = changes.data ?? []
  return (
    <>
      <title>{`${kit.title || kit.name} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/devices">Devices</PlainLink> · <PlainLink href="/devices/kits">Kits</PlainLink>
      </Above>
      <Heading>{kit.title || kit.name}</Heading>
      {kit.about && <Prose>{kit.about}</Prose>}
      <Subheading>Signals</Subheading>
      <Scroll tabIndex={0} role="region" aria-label="Signals">
        <Table>
          <Columns names={['Signal', 'Quantity', 'Unit', 'Plausible', 'Bands']} />
          <tbody>
            {(kit.signals ?? []).map((s) => (
              <tr key={s.name}>
                <td>
                  {s.title || s.name} <Soft>{s.title && s.name}</Soft>
                </td>
                <td>{s.quantity || '–'}</td>
                <td>{shown(s.unit ?? '') || '–'}</td>
                <td>{s.span ? `${s.span.low} to ${s.span.high}` : '–'}</td>
                <td>{(s.bands ?? []).map((b) => b.name).join(', ') || '–'}</td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroll>
      <Subheading>First guards</Subheading>
      {(kit.guards ?? []).length === 0 ? (
        <Prose>None.</Prose>
      ) : (
        <ul>
          {(kit.guards ?? []).map((g) => (
            <li key={g.name}>
              {[g, ...(g.rungs ?? [])]
                .map((r) => `${r.severity ?? 'warning'} when ${g.signal} is ${r.when}`)
                .join('; ')}{' '}
              <Soft>· {g.name}</Soft>
            </li>
          ))}
        </ul>
      )}
      <Subheading>Changes it would make</Subheading>
      {changes.error && <Failure error={changes.error} />}
      {offers.length === 0 ? (
        <Prose>Nothing: its devices are what it says.</Prose>
      ) : (
        <>
          <Scroll tabIndex={0} role="region" aria-label="Changes">
            <Table>
              <Columns names={['Device', 'What', 'From', 'To']} />
              <tbody>
                {offers.map((c) => (
                  <tr key={`${c.device} ${c.what} ${c.field}`}>
                    <td>{c.device}</td>
                    <td>
                      {c.what} {c.field}
                    </td>
                    <td>{c.from || '–'}</td>
                    <td>{c.kept ? <Soft>stays: {c.kept}</Soft> : c.to || '–'}</td>
                  </tr>
                ))}
              </tbody>
            </Table>
          </Scroll>
          {keeper && offers.some((c) => !c.kept) && (
            <p>
              <Button onPress={() => apply.mutate(undefined)} isDisabled={apply.isPending}>
                Apply
              </Button>
            </p>
          )}
          {apply.error && <Failure error={apply.error} />}
        </>
      )}
      {keeper && (
        <>
          <KitText kit={kit} />
          <RemoveKit name={name} />
        </>
      )}
    </>
  )
}

/** A kit as text, to be changed or written anew. */
function KitText({ kit }: { kit: Kit }) {
  const fresh = !kit.name
  return (
    <Opens name={fresh ? 'Add a kit …' : 'Edit as text …'} startOpen={hasDraft(draftOf(kit))}>
      {(close) =>
        fresh ? (
          <KitForm kit={kit} saveUnder={saveAsNew} close={close} />
        ) : (
          <Changing of={`kit ${kit.name}`} look={() => lookAtKit(kit.name!)}>
            {(begun, save) => <KitForm kit={begun} saveUnder={save} close={close} />}
          </Changing>
        )
      }
    </Opens>
  )
}

const draftOf = (kit: Kit) => `kit ${kit.name}`

function KitForm({ kit, saveUnder, close }: { kit: Kit; saveUnder: SaveUnder; close: () => void }) {
  const navigate = useNavigate()
  const [text, setText, unsaved] = useDraft(draftOf(kit), () => JSON.stringify(kit, null, 2))
  const save = useSave(
    () => {
      let body: Kit
      try {
        body = JSON.parse(text) as Kit
      } catch (e) {
        throw new Error(`The text is no JSON: ${(e as Error).message}`)
      }
      const under = body.name === kit.name ? saveUnder : saveAsNew // another name makes another kit
      return under((header) =>
        api.PUT('/api/v1/kits/{kit}', { params: { path: { kit: body.name ?? '' }, header }, body }),
      )
    },
    unsaved,
    (saved) => {
      close()
      void navigate(`/devices/kits/${saved.kit.name}`)
    },
  )
  return (
    <Form unsaved={unsaved} width="full" save={save}>
      <Written
        label="Kit (JSON)"
        value={text}
        onChange={setText}
        rows={18}
        hint="the same fields as in its file; what applying it would change is told before it does"
      />
      <Send send="Save" onCancel={close} />
    </Form>
  )
}

function RemoveKit({ name }: { name: string }) {
  const navigate = useNavigate()
  const remove = () => take(api.DELETE('/api/v1/kits/{kit}', { params: { path: { kit: name } } }))
  return (
    <Sure
      name={`Remove the kit ${name}`}
      says="Devices that were made from it stay as they are."
      act={remove}
      gone={{ kind: 'kit', name: name }}
      done={() => void navigate('/devices/kits')}
    />
  )
}
