import { useState } from 'react'
import { api, take } from '../../api/client'
import { useNow } from '../../api/live'
import { restOf, useInterlocks, useOutputs } from '../../api/output'
import { useSession, useSite } from '../../api/site'
import { clock, count } from '../../api/words'
import { InterlockTable } from './interlocks'
import { OutputRow } from './row'
import { Failure, Heading, Prose, QuietLink, Row, Soft, Subheading, Well } from '../../ui/basics'
import { Form, Send, useSave, Written } from '../../ui/form'
import { List } from '../../ui/list'
import { NoPage } from '../../ui/no-page'
import { Opens } from '../../ui/opens'
import { Shape } from '../../ui/severity'

const moment: Intl.DateTimeFormatOptions = { weekday: 'long', hour: '2-digit', minute: '2-digit', second: '2-digit' }

/** What devices can switch or set: how each stands and why, the hand switch, and the emergency. */
export function Outputs() {
  const now = useNow()
  const zone = useSite().data?.zone ?? 'UTC'
  const list = useOutputs()
  const locks = useInterlocks()
  const keeper = useSession().data?.role !== 'viewer'
  if (list.error) return <NoPage error={list.error} />
  if (!list.data) return <Soft>Looking …</Soft>
  const { outputs, emergency } = list.data
  const busy = outputs.filter((o) => o.ordered !== restOf(o)).length
  const headline = emergency
    ? 'All outputs are in their safe states.'
    : busy === 0
      ? 'All outputs are at rest.'
      : busy === 1
        ? 'One output is not at rest.'
        : `${count(busy)} outputs are not at rest.`
  return (
    <>
      <title>Outputs · Jaunty Lark</title>
      <Heading>{outputs.length ? headline : 'Nothing can be switched yet.'}</Heading>
      {emergency && (
        <Prose>
          <Shape of="critical" /> {emergency.by} did that on {clock(emergency.at, zone, moment)}
          {emergency.why && `: ${emergency.why}`}. Interlocks and hands wait until somebody ends it.
        </Prose>
      )}
      {outputs.length === 0 && (
        <Prose>
          Say what a device can switch or set: a fan, a buzzer, a lamp. Then let an alarm or a value drive it.
        </Prose>
      )}
      {outputs.length > 0 && (
        <List aria-label="Outputs">
          {outputs.map((o) => (
            <OutputRow key={o.id} output={o} now={now} zone={zone} keeper={keeper} emergency={!!emergency} />
          ))}
        </List>
      )}
      {keeper && outputs.length > 0 && <Emergency held={!!emergency} outputs={outputs.length} />}
      <Subheading>Interlocks</Subheading>
      {locks.error && <Failure error={locks.error} />}
      {locks.data && <InterlockTable locks={locks.data} outputs={outputs} keeper={keeper} />}
      {keeper && (
        <Row $above={4}>
          {outputs.length > 0 && <QuietLink href="/interlocks/new">Add an interlock</QuietLink>}
          <QuietLink href="/outputs/new">Add an output</QuietLink>
        </Row>
      )}
    </>
  )
}

/** One action for the whole site, with a question before it. */
function Emergency({ held, outputs }: { held: boolean; outputs: number }) {
  return (
    <Row $above={4}>
      <Opens name={held ? 'End the emergency …' : 'Emergency: all outputs safe …'}>
        {(close) => <EmergencyForm held={held} outputs={outputs} onClose={close} />}
      </Opens>
    </Row>
  )
}

function EmergencyForm({ held, outputs, onClose }: { held: boolean; outputs: number; onClose: () => void }) {
  const [why, setWhy] = useState('')
  const act = useSave<unknown>(
    () =>
      held ? take(api.DELETE('/api/v1/emergency')) : take(api.PUT('/api/v1/emergency', { body: { why, sure: true } })),
    undefined,
    onClose,
  )
  return (
    <Well $flush>
      <Form save={act}>
        <Prose $flush>
          {held
            ? 'All outputs do again what is asked of them: some may start at once.'
            : `All outputs (${outputs}) go to their safe states at once, and stay there until somebody ends it. Settings by hand are over.`}
        </Prose>
        {!held && <Written label="Why" value={why} onChange={setWhy} hint="for the journal" />}
        <Send send={held ? 'End the emergency' : 'All outputs safe now'} onCancel={onClose} />
      </Form>
    </Well>
  )
}
