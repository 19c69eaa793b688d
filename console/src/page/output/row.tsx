import { useState } from 'react'
import styled from 'styled-components'
import { api, type Output, take } from '../../api/client'
import {
  at,
  becauseWords,
  colours,
  confirmation,
  goesWords,
  restOf,
  stateWords,
  titleOf,
  useInterlocks,
} from '../../api/output'
import { useAct } from '../../api/queries'
import { clock } from '../../api/words'
import { Failure, PlainLink, Prose, QuietButton, Row, Soft, Well } from '../../ui/basics'
import { focusInto } from '../../ui/focus'
import { Fields, Form, Select, Send, useSave, Written } from '../../ui/form'
import { NumberField } from '../../ui/number'
import { Shape } from '../../ui/severity'

const Below = styled.div`
  grid-column: 2 / -1;
  text-align: left;
`

const Line = styled.li`
  border-bottom: var(--hair);
  padding: 14px 0;
  display: grid;
  grid-template-columns: 26px minmax(0, 1fr) 150px 150px;
  gap: var(--gap-3) var(--gap-4);
  align-items: start;
  @media (max-width: 760px) {
    grid-template-columns: 26px minmax(0, 1fr);
    > :nth-child(n + 3) {
      grid-column: 2;
      text-align: left;
    }
  }
`
const Name = styled.b`
  font-weight: 620;
  font-size: var(--step-1);
`
const StateBox = styled.div`
  font-weight: 600;
  font-size: var(--step-1);
  text-align: right;
  small {
    display: block;
    font-size: var(--step--1);
    font-weight: 400;
    color: var(--ink-soft);
  }
`
const Swatch = styled.span`
  display: inline-block;
  width: 14px;
  height: 14px;
  border: 1px solid var(--ink-soft);
  border-radius: 2px;
  vertical-align: -2px;
  margin-right: 6px;
`
const Mark = styled.svg`
  width: 18px;
  height: 18px;
  margin-top: 4px;
`

/** Told by shape: a ring while at rest, a full disc while not. */
const StateMark = ({ rests }: { rests: boolean }) => (
  <Mark viewBox="0 0 18 18" aria-hidden="true">
    <circle
      cx="9"
      cy="9"
      r="6.5"
      fill={rests ? 'none' : 'var(--ink)'}
      stroke={rests ? 'var(--ink-soft)' : 'var(--ink)'}
      strokeWidth="1.6"
    />
  </Mark>
)

/** A state, with its colour where it is one. */
export const State = ({ output: o, value }: { output: Output; value: string }) => (
  <>
    {o.kind === 'colour' && <Swatch aria-hidden="true" style={{ background: value }} />}
    {stateWords(o, value)}
  </>
)

type Props = { output: Output; now: number; zone: string; keeper: boolean; emergency: boolean }

/** One output: how it stands and why, what its device says, and the hand switch. */
export function OutputRow({ output: o, now, zone, keeper, emergency }: Props) {
  const [open, setOpen] = useState(false)
  const [was, setWas] = useState(false)
  const said = confirmation(o, now)
  const release = useAct(() => take(api.DELETE('/api/v1/outputs/{device}/{output}/hand', at(o))))
  const reset = useAct(() => take(api.POST('/api/v1/outputs/{device}/{output}/reset', at(o))))
  const latched = useInterlocks().data?.some((i) => i.output === `${o.device}/${o.name}` && i.waits_for_reset)
  const barred = whyNotByHand(o, emergency)
  const may = keeper && !barred
  const hand = o.hand as Output['hand'] | null
  const waiting = o.waiting as Output['waiting'] | null
  return (
    <Line data-output={`${o.device}/${o.name}`}>
      {said.wrong ? <Shape of="warning" /> : <StateMark rests={o.ordered === restOf(o)} />}
      <div>
        <PlainLink href={`/outputs/${o.device}/${o.name}`}>
          <Name>{titleOf(o)}</Name>
        </PlainLink>{' '}
        <Soft>· {o.device}</Soft>
        <div data-because>{becauseWords(o, zone)}</div>
        {waiting && (
          <Soft>
            It {goesWords(o, waiting.to)} at {clock(waiting.until, zone, seconds)}: {waiting.why}.
          </Soft>
        )}
        {release.error && <Failure error={release.error} />}
        {reset.error && <Failure error={reset.error} />}
      </div>
      <StateBox>
        <State output={o} value={o.ordered} />
        <small data-confirmed>{said.words}</small>
      </StateBox>
      <Row $ends>
        {keeper && hand && <QuietButton onPress={() => release.mutate(undefined)}>Release</QuietButton>}
        {keeper && latched && <QuietButton onPress={() => reset.mutate(undefined)}>Reset</QuietButton>}
        {may && !open && (
          // eslint-disable-next-line jsx-a11y/no-autofocus -- back to what opened it
          <QuietButton onPress={() => setOpen(true)} autoFocus={was}>
            Set by hand
          </QuietButton>
        )}
        {keeper && barred && <Soft role={open ? 'status' : undefined}>{barred}</Soft>}
      </Row>
      {open && may && (
        <Below ref={focusInto}>
          <HandSwitch
            output={o}
            done={() => {
              setWas(true)
              setOpen(false)
            }}
          />
        </Below>
      )}
    </Line>
  )
}

/** Why nobody can set an output by hand; empty when somebody can. */
function whyNotByHand(o: Output, emergency: boolean) {
  if (o.hands_off) return 'Not by hand: its settings say so.'
  if (emergency) return 'Not by hand: all outputs are held safe.'
  if (o.by === 'safety') return 'Not by hand: an interlock for safety drives it.'
  return ''
}

const seconds: Intl.DateTimeFormatOptions = { hour: '2-digit', minute: '2-digit', second: '2-digit' }
const holds: Record<string, string> = {
  '': 'as long as usual',
  '1m': '1 minute',
  '10m': '10 minutes',
  '30m': '30 minutes',
  '1h': '1 hour',
  '4h': '4 hours',
  '12h': '12 hours',
}

/** Sets an output by hand for a while. One that is dangerous asks once more. */
export function HandSwitch({ output: o, done }: { output: Output; done: () => void }) {
  const [to, setTo] = useState(o.kind === 'switch' ? (o.ordered === 'on' ? 'off' : 'on') : o.ordered)
  const [hold, setHold] = useState('')
  const [why, setWhy] = useState('')
  const [sure, setSure] = useState(false)
  const asks = o.dangerous && !sure
  const set = useSave(async () => {
    if (asks) return setSure(true)
    const body = { to, why, sure, ...(hold ? { for: hold } : {}) }
    await take(api.PUT('/api/v1/outputs/{device}/{output}/hand', { ...at(o), body }))
    done()
  })
  return (
    <Well role="group" aria-label={`Set ${titleOf(o)} by hand`}>
      <Form width="full" save={set}>
        <Fields>
          <To
            output={o}
            value={to}
            onChange={(next) => {
              setTo(next)
              setSure(false) // what was asked about is not what is written now
            }}
          />
          <Select
            label="Lasts"
            value={hold}
            onChange={setHold}
            options={{ ...holds, '': `as usual, ${o.hand_holds || '1h'}` }}
          />
          <Written label="Why" value={why} onChange={setWhy} hint="for the journal" />
        </Fields>
        {sure && (
          <Prose role="status" $flush>
            <Shape of="warning" /> {titleOf(o)} is dangerous. Is nobody near, and is {stateWords(o, to)} what you want?
          </Prose>
        )}
        <Send
          send={sure ? `Yes, set it to ${stateWords(o, to)}` : `Set it to ${stateWords(o, to)}${asks ? ' …' : ''}`}
          onCancel={done}
        />
      </Form>
    </Well>
  )
}

type ToProps = {
  output: Pick<Output, 'kind' | 'unit'>
  value: string
  onChange: (v: string) => void
  label?: string
  optional?: boolean
}

/** A state of an output, as its kind has it. */
export function To({ output: o, value, onChange, label = 'State', optional }: ToProps) {
  if (o.kind === 'switch')
    return <Select label={label} value={value} onChange={onChange} options={{ on: 'on', off: 'off' }} />
  if (o.kind === 'colour')
    return <Select label={label} value={value} onChange={onChange} options={{ ...colours, ...own(value) }} />
  if (o.kind === 'level')
    return (
      <NumberField
        label={label}
        unit={o.unit || '%'}
        value={value === '' ? undefined : Number(value)}
        onChange={(v) => onChange(v === undefined ? '' : String(v))}
        optional={optional}
      />
    )
  return <Written label={label} value={value} onChange={onChange} />
}

const own = (value: string) => (value && !colours[value] ? { [value]: value } : {})
