import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { useLocation } from 'react-router'
import styled from 'styled-components'
import { keyOf } from '../../api/changes'
import { api, type Device, type Guard, pathOf, type Signal, take } from '../../api/client'
import { useDevices } from '../../api/device'
import { useGuards } from '../../api/guard'
import { useContacts } from '../../api/people'
import { useSignals } from '../../api/signal'
import { useSession } from '../../api/site'
import { PlainLink, QuietButton, QuietLink, Row, Soft } from '../../ui/basics'

const Panel = styled.section`
  border: 1px solid var(--accent);
  border-radius: var(--radius);
  background: var(--surface);
  padding: var(--gap-3) var(--gap-4);
  margin-bottom: var(--gap-4);
  h2 {
    margin: 0;
    font-size: var(--step-1);
    font-weight: 600;
  }
  ol {
    list-style: none;
    padding: 0;
    margin: var(--gap-3) 0 0;
  }
  li {
    padding: 5px 0;
    display: grid;
    grid-template-columns: 26px minmax(0, 1fr);
  }
`
type Step = { name: string; says: string; to: string; done: boolean }

const memory = 'lark-guide'
const remembered = () => {
  try {
    return localStorage.getItem(memory) ?? ''
  } catch {
    return ''
  }
}
const remember = (what: string) => {
  try {
    localStorage.setItem(memory, what)
  } catch {
    // Then it is asked again next time.
  }
}

/** The way from nothing to "you will be told", each step as it stands. */
function useSteps(): { steps?: Step[]; asking: boolean } {
  const devices = useDevices()
  const signals = useSignals()
  const guards = useGuards()
  const contacts = useContacts()
  const drills = useQuery({
    queryKey: keyOf('drills', 'any'),
    queryFn: () => take(api.GET('/api/v1/drills')),
    staleTime: 10_000,
  })
  if (devices.data && signals.data && guards.data && contacts.data && drills.data)
    return {
      steps: stepsOf(devices.data, signals.data, guards.data, !!contacts.data.length, !!drills.data.length),
      asking: false,
    }
  return { asking: [devices, signals, guards, contacts, drills].every((q) => !q.failureReason) }
}

function stepsOf(devices: Device[], signals: Signal[], guards: Guard[], reached: boolean, proven: boolean): Step[] {
  const signal = signals.find((s) => s.kind === 'number') ?? signals[0]
  const guard = guards[0]
  return [
    {
      name: 'Add a device',
      says: 'Name it, or pick a kit. You get its key and ready code.',
      to: '/devices/connect',
      done: devices.length > 0,
    },
    {
      name: 'See its first reading',
      says: 'Run the code; the signal appears by itself. If what comes is wrong, its page says what.',
      to: devices[0] ? `/devices/of/${devices[0].name}` : '/devices/connect',
      done: signals.length > 0,
    },
    {
      name: 'Find its limit',
      says: 'Drag the line; you see at once how often it would have rung.',
      to: signal ? `/guards/new?of=${pathOf(signal)}` : '/devices',
      done: guards.length > 0,
    },
    {
      name: 'Say how you are reached',
      says: 'An e-mail address is enough to begin with.',
      to: '/contacts/new',
      done: reached,
    },
    {
      name: 'Let the limit tell you',
      says: 'Put your name, or a roster, among those whom the guard tells.',
      to: guard ? `/guards/${guard.name}` : '/rosters',
      done: guards.some((g) => g.tell?.length),
    },
    {
      name: 'Prove it',
      says: 'A drill goes the whole way, to the message that you get. It is marked as a drill.',
      to: guard ? `/guards/${guard.name}` : '/rosters',
      done: proven,
    },
  ]
}

/** Whether this browser has left the first steps, so that nothing need be known before a page is drawn. */
export const leftGuide = () => remembered() === 'left'

/**
 * Leads by the hand from an empty site to being told. It can be left at any point, and taken up again from Set-up.
 * It says when it has come or will not come, so that no page is drawn below it before, and moved.
 */
export function Guide({ onKnown }: { onKnown: () => void }) {
  const role = useSession().data?.role
  const [left, setLeft] = useState(remembered)
  const none = role === 'viewer' || left === 'left'
  useEffect(() => {
    if (none) onKnown()
  }, [none, onKnown])
  if (none) return null
  const go = (to: 'on' | 'left') => {
    remember(to)
    setLeft(to)
  }
  return <Leading on={left === 'on'} go={go} onKnown={onKnown} />
}

function Leading({ on, go, onKnown }: { on: boolean; go: (to: 'on' | 'left') => void; onKnown: () => void }) {
  const { steps, asking } = useSteps()
  const { pathname } = useLocation()
  const next = steps?.findIndex((s) => !s.done) ?? -1
  // A site that is watched already needs no guide, unless it was followed up to here.
  const begun = on || !!steps?.slice(0, -1).some((s) => !s.done)
  const settled = !steps || on
  useEffect(() => {
    if (!settled) go(begun ? 'on' : 'left')
  }, [settled, begun, go])
  useEffect(() => {
    if (!asking) onKnown()
  }, [asking, onKnown])
  if (!steps || !begun) return null
  const leave = () => go('left')
  const step = steps[next]
  return (
    <Panel aria-label="First steps" data-guide={next < 0 ? 'done' : next + 1}>
      <Row $ends>
        <h2>
          {step ? (
            <>
              Step {next + 1} of {steps.length}: {step.name.charAt(0).toLowerCase() + step.name.slice(1)}
            </>
          ) : (
            'You will be told. That was all.'
          )}
        </h2>
        <Row>
          {step && pathname !== step.to.split('?')[0] && <QuietLink href={step.to}>Go on</QuietLink>}
          <QuietButton onPress={leave}>{step ? 'Leave this' : 'Good'}</QuietButton>
        </Row>
      </Row>
      {step && <Soft>{step.says}</Soft>}
      {pathname === '/' && step && (
        <ol>
          {steps.map((s) => (
            <li key={s.name}>
              <span aria-hidden="true">{s.done ? '✓' : '·'}</span>
              <span>
                {s.done ? <Soft>{s.name}</Soft> : <PlainLink href={s.to}>{s.name}</PlainLink>}
                {s.done && <Soft>, done</Soft>}
              </span>
            </li>
          ))}
        </ol>
      )}
    </Panel>
  )
}

/** Takes the guide up again. */
export function TakeUpGuide() {
  return (
    <QuietButton
      onPress={() => {
        remember('on')
        location.assign('/')
      }}
    >
      Show the first steps again
    </QuietButton>
  )
}
