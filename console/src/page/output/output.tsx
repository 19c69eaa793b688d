import { inWords } from '../../api/words'
import { useState } from 'react'
import { useNavigate, useParams } from 'react-router'
import { api, type Output, type OutputSpec, take } from '../../api/client'
import { useDevices } from '../../api/device'
import { useDraft } from '../../api/drafts'
import { useNow } from '../../api/live'
import { at, lookAtOutput, putOutput, restOf, stateWords, titleOf, useInterlocks, useOutputs } from '../../api/output'
import { useSession, useSite } from '../../api/site'
import { InterlockTable } from './interlocks'
import { OutputRow, To } from './row'
import { Above, Heading, PlainLink, Prose, QuietLink, Row, Soft, Subheading } from '../../ui/basics'
import { Changing, saveAsNew, type SaveUnder } from '../../ui/changing'
import { Fields, Form, Select, Send, useSave, Written } from '../../ui/form'
import { List } from '../../ui/list'
import { NoPage } from '../../ui/no-page'
import { NumberField } from '../../ui/number'
import { Removal } from '../../ui/sure'

/** One output: how it stands, what drives it, what it is. */
export function OutputPage() {
  const { device = '', output: name = '' } = useParams()
  const now = useNow()
  const zone = useSite().data?.zone ?? 'UTC'
  const list = useOutputs()
  const locks = useInterlocks().data ?? []
  const keeper = useSession().data?.role !== 'viewer'
  if (list.error) return <NoPage error={list.error} />
  if (!list.data) return <Soft>Looking …</Soft>
  const o = list.data.outputs.find((one) => one.device === device && one.name === name)
  if (!o) return <NoPage error={new Error(`There is no output ${device}/${name}.`)} />
  return (
    <>
      <title>{`${titleOf(o)} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/outputs">Outputs</PlainLink> ·{' '}
        <PlainLink href={`/devices/of/${o.device}`}>{o.device}</PlainLink>
      </Above>
      <Heading>
        {titleOf(o)} is {stateWords(o, o.ordered)}
      </Heading>
      <List aria-label={titleOf(o)}>
        <OutputRow output={o} now={now} zone={zone} keeper={keeper} emergency={!!list.data.emergency} />
      </List>
      <Prose>
        When safe: {stateWords(o, o.safe)}. At rest: {stateWords(o, restOf(o))}. An order holds for {o.expires || '1m'}{' '}
        unless it is renewed; a device that hears nothing for so long goes to the safe state by itself.
      </Prose>
      <Row>
        <QuietLink href={`/journal?kind=output&device=${o.device}`}>Journal</QuietLink>
        {keeper && <QuietLink href={`/interlocks/new?output=${o.device}/${o.name}`}>Add an interlock</QuietLink>}
      </Row>
      <Subheading>Interlocks</Subheading>
      <InterlockTable
        locks={locks.filter((i) => i.output === `${o.device}/${o.name}`)}
        outputs={list.data.outputs}
        keeper={keeper}
      />
      <Subheading>Settings</Subheading>
      <Changing key={o.id} of={`output ${o.device}/${o.name}`} look={() => lookAtOutput(o)} kept={o}>
        {(begun, save) => <Spec path={`${o.device}/${o.name}`} spec={begun} saveUnder={save} />}
      </Changing>
      {keeper && <Remove output={o} />}
    </>
  )
}

/** A new output of a device. */
export function NewOutput() {
  const devices = useDevices().data ?? []
  const [draft, setDraft] = useState({ device: new URLSearchParams(location.search).get('device') ?? '', name: '' })
  const navigate = useNavigate()
  const chosen = draft.device || devices[0]?.name || ''
  return (
    <>
      <title>New output · Jaunty Lark</title>
      <Above>
        <PlainLink href="/outputs">Outputs</PlainLink>
      </Above>
      <Heading>New output</Heading>
      <Fields $above={4}>
        <Select
          label="Device"
          value={chosen}
          onChange={(device) => setDraft({ ...draft, device })}
          options={Object.fromEntries(devices.map((d) => [d.name, d.title ?? d.name]))}
        />
        <Written
          label="Name"
          value={draft.name}
          onChange={(name) => setDraft({ ...draft, name })}
          hint="as the device calls it, like fan"
        />
      </Fields>
      <Spec
        path={`${chosen}/${draft.name}`}
        spec={{ kind: 'switch', title: '', safe: '', rest: '' } as OutputSpec}
        saved={() => void navigate(`/outputs/${chosen}/${draft.name}`)}
      />
    </>
  )
}

const kinds = { switch: 'switch: on or off', level: 'level: 0 to 100 %, or a range', colour: 'colour', text: 'text' }

type SpecProps = { path: string; spec: OutputSpec; saveUnder?: SaveUnder; saved?: () => void }

/** What is said of an output. */
function Spec({ path, spec, saveUnder = saveAsNew, saved }: SpecProps) {
  const isNew = saveUnder === saveAsNew
  const keeper = useSession().data?.role !== 'viewer'
  const [s, setS, unsaved] = useDraft<OutputSpec>(isNew ? 'new output' : `output ${path}`, () => specOf(spec))
  const put = (change: Partial<OutputSpec>) => setS({ ...s, ...change })
  const save = useSave(
    () => saveUnder((header) => putOutput(path, specOf(s), header)),
    unsaved,
    () => {
      saved?.()
    },
  )
  const runs = s.kind === 'switch' || s.kind === 'level'
  const usual = { switch: 'off', level: '', colour: '#000000', text: '' }
  return (
    <Form may={keeper} unsaved={unsaved} width="middle" save={save}>
      <Fields>
        <Select
          label="Kind"
          value={s.kind}
          onChange={(kind) => setS({ kind, title: s.title, safe: usual[kind as 'switch'], rest: '' } as OutputSpec)}
          options={kinds}
        />
        <Written label="Title" value={s.title ?? ''} onChange={(title) => put({ title })} />
        <To output={s} label="Safe state" optional value={s.safe || usual[s.kind]} onChange={(safe) => put({ safe })} />
        <To
          output={s}
          label="At rest"
          optional
          value={s.rest || s.safe || usual[s.kind]}
          onChange={(rest) => put({ rest })}
        />
      </Fields>
      {s.kind === 'switch' && (
        <Fields>
          <Written
            label="On sends"
            value={s.on_sends ?? ''}
            onChange={(on_sends) => put({ on_sends })}
            hint="1 when empty"
          />
          <Written
            label="Off sends"
            value={s.off_sends ?? ''}
            onChange={(off_sends) => put({ off_sends })}
            hint="0 when empty"
          />
        </Fields>
      )}
      {s.kind === 'level' && (
        <Fields>
          <NumberField label="Lowest" value={s.low ?? 0} onChange={(low) => put({ low })} />
          <NumberField
            label="Highest"
            value={s.high ?? 0}
            onChange={(high) => put({ high })}
            hint="0 to 0: 0 to 100 %"
          />
          <Written label="Unit" value={s.unit ?? ''} onChange={(unit) => put({ unit })} />
          <NumberField label="Step" value={s.step ?? 0} least={0} onChange={(step) => put({ step })} hint="0: any" />
        </Fields>
      )}
      {s.kind === 'text' && (
        <NumberField
          label="Longest text"
          whole
          least={0}
          optional
          value={s.length || undefined}
          onChange={(length) => put({ length })}
          hint="characters that its display has room for"
        />
      )}
      {runs && (
        <Fields>
          <Written
            label="Least time on"
            value={inWords(s.least_on)}
            onChange={(least_on) => put({ least_on })}
            hint="like 5m"
          />
          <Written label="Least time off" value={inWords(s.least_off)} onChange={(least_off) => put({ least_off })} />
          <NumberField
            label="Starts per hour"
            whole
            least={0}
            optional
            value={s.starts_per_hour || undefined}
            onChange={(starts_per_hour) => put({ starts_per_hour })}
          />
        </Fields>
      )}
      <Fields>
        <Written
          label="Hand setting lasts"
          value={inWords(s.hand_holds)}
          onChange={(hand_holds) => put({ hand_holds })}
          hint="1h when empty"
        />
        <Written
          label="Order expires after"
          value={inWords(s.expires)}
          onChange={(expires) => put({ expires })}
          hint="1m when empty"
        />
        <Select
          label="Hand setting"
          value={s.hands_off ? 'no' : s.dangerous ? 'sure' : 'yes'}
          onChange={(v) => put({ hands_off: v === 'no', dangerous: v === 'sure' })}
          options={{ yes: 'yes', sure: 'yes, but it is dangerous: ask', no: 'no' }}
        />
      </Fields>
      <Fields>
        <Select
          label="Confirmation"
          value={s.mute ? 'mute' : ''}
          onChange={(v) => put({ mute: v === 'mute' })}
          options={{ '': 'confirms what it does', mute: 'cannot confirm' }}
        />
        {!s.mute && (
          <Written
            label="Confirm within"
            value={inWords(s.confirm_within)}
            onChange={(confirm_within) => put({ confirm_within })}
            hint="30s when empty"
          />
        )}
      </Fields>
      <Send send="Save" sent="Saved." off={!/.\/./.test(path)} />
    </Form>
  )
}

/** What can be said of an output, without how it stands and what was left empty. */
function specOf(s: OutputSpec): OutputSpec {
  const { kind, title, safe, rest, on_sends, off_sends, low, high, step, unit, length, mute } = s
  const { least_on, least_off, starts_per_hour, hands_off, hand_holds, dangerous, expires, confirm_within } = s
  const times = { least_on, least_off, hand_holds, expires, confirm_within }
  const said = Object.fromEntries(Object.entries(times).filter(([, v]) => v))
  return {
    ...{ kind, title, safe, rest, on_sends, off_sends, low, high, step, unit, length, mute },
    ...{ starts_per_hour, hands_off, dangerous },
    ...said,
  } as OutputSpec
}

function Remove({ output: o }: { output: Output }) {
  const navigate = useNavigate()
  const remove = () => take(api.DELETE('/api/v1/outputs/{device}/{output}', at(o)))
  return (
    <Removal
      name={`Remove the output ${titleOf(o)}`}
      says={`It goes with its interlocks. Its device hears no more of it, and goes to ${stateWords(o, o.safe)}.`}
      act={remove}
      gone={{ kind: 'output', name: `${o.device}/${o.name}` }}
      done={() => void navigate('/outputs')}
    />
  )
}
