import { useQuery } from '@tanstack/react-query'
import { useParams } from 'react-router'
import styled from 'styled-components'
import { useAlarm } from '../../api/alarm'
import { keyOf } from '../../api/changes'
import { type Alarm, api, pathOf, take } from '../../api/client'
import { frameFile, useNewestFrame } from '../../api/frames'
import { useRecord } from '../../api/guard'
import { useNow } from '../../api/live'
import { useSignals } from '../../api/signal'
import { useSession, useSite } from '../../api/site'
import { clock, ending, length, reads, readsIn, say, sentence, valueParts } from '../../api/words'
import { AlarmActs, ResetIt, Shelving } from './acts'
import { HaveIt, whoHasIt } from './row'
import { AlarmTable } from './table'
import { SignalChart } from '../signal/chart'
import { Above, BigFigure, Heading, Picture, PlainLink, Prose, Row, Soft, Subheading, Well } from '../../ui/basics'
import { NoPage } from '../../ui/no-page'
import { Shape, toneOf } from '../../ui/severity'

const Frame = styled(Picture)`
  margin-top: var(--gap-3);
`

/** On a phone: wide, and where the thumb is. */
const InReach = styled.div`
  margin-top: var(--gap-3);
  @media (max-width: 760px) {
    position: fixed;
    z-index: 6;
    inset: auto 0 calc(60px + env(safe-area-inset-bottom));
    padding: var(--gap-3) var(--gap-4);
    background: var(--paper);
    border-top: var(--hair);
    button {
      width: 100%;
      min-height: 56px;
      font-size: var(--step-1);
    }
  }
`
const before = 20 * 60_000

/** The stretch to show of an alarm: the last hour while it stands, what was around it when it is over. */
const around = (a: Alarm) =>
  a.cleared_at ? { from: Date.parse(a.raised_at) - before, until: Date.parse(a.cleared_at) + before } : undefined

const told = {
  raise: 'that it is wrong',
  worsen: 'that it is worse',
  ease: 'that it has eased',
  latched: 'that it is back in order and waits to be reset',
  return: 'that it is over',
  hand: 'to take it on',
  taken: 'who has it',
  summary: 'in a summary',
  test: 'in a test',
  quiet: 'that all is quiet',
  blind: 'that it was not watched',
  statement: 'in a statement',
}

/** What the device's thermal camera saw when the alarm was raised. */
function FrameThen({ alarm: a }: { alarm: Alarm }) {
  const device = a.signal.split('/')[0] ?? ''
  const sends = useNewestFrame(device)
  if (!sends || !a.signal.includes('/')) return null
  return (
    <PlainLink href={`/frames/${device}?at=${encodeURIComponent(a.raised_at)}`}>
      <Frame
        src={frameFile(device, a.raised_at, 'png', { width: '400', regions: 'true' })}
        alt="The thermal frame of that moment"
      />
    </PlainLink>
  )
}

/** One alarm, for somebody who was woken: what, how bad, since when, what to do, who was told. */
export function AlarmPage() {
  const id = Number(useParams().id)
  const now = useNow()
  const zone = useSite().data?.zone ?? 'UTC'
  const story = useAlarm(id)
  const signals = useSignals()
  const role = useSession().data?.role
  if (story.error) return <NoPage error={story.error} />
  if (!story.data) return <Soft>Looking …</Soft>
  const a = story.data
  const signal = signals.data?.find((s) => pathOf(s) === a.signal)
  const raised = a.state === 'raised'
  const lasted = length((a.cleared_at ? Date.parse(a.cleared_at) : now) - Date.parse(a.raised_at))
  const seconds: Intl.DateTimeFormatOptions = { hour: '2-digit', minute: '2-digit', second: '2-digit' }
  return (
    <>
      <title>{`${a.sentence} · Jaunty Lark`}</title>
      {a.drill && <Prose role="note">This is a drill: nothing is wrong.</Prose>}
      <Above>
        <PlainLink href="/alarms">Alarms</PlainLink> · {a.id}
      </Above>
      <Heading id={`alarm-${a.id}`} tabIndex={-1}>
        <Shape of={a.severity} /> {sentence(a)}
      </Heading>
      {!a.acknowledged_at && role !== 'viewer' && (
        <InReach>
          <HaveIt alarm={a} />
        </InReach>
      )}
      <Prose>
        {a.severity} · {raised ? 'since' : 'raised'} {clock(a.raised_at, zone, { weekday: 'long', ...seconds })} ·{' '}
        {raised ? '' : `${ending(a)} after `}
        {lasted} · {whoHasIt(a, zone)}
        {a.corrected_at && ' · its readings were corrected since'}
        {a.worst !== a.severity && ` · it was ${a.worst}`}
        {a.latched &&
          (a.ending === 'unwatched' || a.ending === 'changed'
            ? ` · ${a.cause}, waits to be reset`
            : ' · back in order, waits to be reset')}
        {a.shelved && ' · shelved: nobody is told'}
        {a.learned_late && ' · learned late, from readings that came when it was over'}
        {a.handed_to && ` · ${a.handed_by} asked ${a.handed_to} to take it on`}
      </Prose>
      {a.ended && a.ending !== 'back' && <Prose role="note">{a.ended}.</Prose>}
      {a.told_with != null && (
        <Prose>
          It was told with <PlainLink href={`/alarms/${a.told_with}`}>alarm {a.told_with}</PlainLink>: one cause, one
          notice.
        </Prose>
      )}
      {a.comment && (
        <Prose>
          <b>The cause.</b> {a.comment}
        </Prose>
      )}
      {a.kind === 'guard' ? (
        <Row>
          <BigFigure
            value={signal ? reads(signal) : valueParts(a.value, a.unit)[0]}
            unit={`${signal ? readsIn(signal) : valueParts(a.value, a.unit)[1]} now`}
            tone={raised ? toneOf(a.severity) : undefined}
          />
          <Soft>went as far as {say(a.extreme, a.unit, signal?.step)}</Soft>
        </Row>
      ) : (
        <Prose>
          {a.kind === 'silence' && raised && (
            <>Nothing has come for {length(now - Date.parse(a.raised_at) + a.value * 1000)}. </>
          )}
          {a.kind === 'service' ? null : a.kind === 'carrier' || a.kind === 'drill' || a.kind === 'disk' ? (
            <PlainLink href="/rosters">Rosters and carriers</PlainLink>
          ) : a.kind === 'output' ? (
            <PlainLink href={`/outputs/${a.signal}`}>The output’s page</PlainLink>
          ) : a.signal.includes('/') ? (
            <>
              <PlainLink href={`/signals/${a.signal}`}>The signal’s page</PlainLink>
              {a.kind === 'verification' && (
                <>
                  {' · '}
                  <PlainLink href={`/signals/${a.signal}/trust`}>Verify it</PlainLink>
                </>
              )}
            </>
          ) : (
            <PlainLink href={`/devices/of/${a.signal}`}>The device’s page</PlainLink>
          )}
        </Prose>
      )}
      {a.advice && (
        <Prose>
          <b>What to do.</b> {a.advice}
        </Prose>
      )}
      <Shelving alarm={a} />
      <ResetIt alarm={a} />
      {signal && (signal.kind === 'number' || signal.kind === 'switch') && (
        <Well>
          <SignalChart key={a.state} signal={signal} span={3600_000} fixed={around(a)} />
          <FrameThen alarm={a} />
        </Well>
      )}
      <Subheading>Who was told</Subheading>
      {a.notices.length === 0 ? (
        <Prose>Nobody{a.guard && `: the guard ${a.guard} tells no one`}.</Prose>
      ) : (
        <ul>
          {[...a.notices].reverse().map((n) => (
            <li key={n.id}>
              {n.contact || n.to}, {n.carrier}, {told[n.kind]}: {n.state}
              {n.why && `, ${n.why}`}{' '}
              {n.deliveries.map((d) => (
                <Soft key={d.at}>
                  · {clock(d.at, zone, seconds)} {d.answer}{' '}
                </Soft>
              ))}
            </li>
          ))}
        </ul>
      )}
      <AlarmActs alarm={a} />
      <Subheading>Journal</Subheading>
      <ul>
        {[...a.journal].reverse().map((e) => (
          <li key={e.id}>
            {clock(e.at, zone, seconds)} {e.text}
          </li>
        ))}
      </ul>
      {a.guard && <GuardHistory guard={a.guard} />}
    </>
  )
}

/** What its guard has raised before, and what people made of that. */
function GuardHistory({ guard }: { guard: string }) {
  const record = useRecord(guard).data
  const zone = useSite().data?.zone ?? 'UTC'
  const past = useQuery({
    queryKey: keyOf('alarms', 'of guard', guard),
    queryFn: () => take(api.GET('/api/v1/alarms', { params: { query: { all: true, guard, limit: 10 } } })),
  })
  if (!record) return null
  return (
    <>
      <Subheading>Its guard</Subheading>
      <Prose>
        <PlainLink href={`/guards/${guard}`}>{guard}</PlainLink>, in the last month: {record.words}.
      </Prose>
      {past.data && past.data.length > 1 && <AlarmTable alarms={past.data} zone={zone} />}
    </>
  )
}
