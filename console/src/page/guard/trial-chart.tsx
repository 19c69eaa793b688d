import { Details } from '../../ui/disclosure'
import { Slider } from '../../ui/slider'
import styled from 'styled-components'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { keyOf } from '../../api/changes'
import { api, pathOf, take, timed, type Trial } from '../../api/client'
import { useSuggestion } from '../../api/guard'
import { useNow } from '../../api/live'
import { useSignals } from '../../api/signal'
import { useSite } from '../../api/site'
import { seen } from '../../api/units'
import { clock, shown } from '../../api/words'
import { LineChart } from '../../chart/line'
import { QuietButton, Row, Soft, Well } from '../../ui/basics'
import { Select } from '../../ui/form'

/** The room of a chart that is not there yet. */
const Waiting = styled.div`
  height: 340px;
`

export const seconds: Intl.DateTimeFormatOptions = {
  day: 'numeric',
  month: 'short',
  hour: '2-digit',
  minute: '2-digit',
  second: '2-digit',
}

const iso = (at: number) => new Date(at).toISOString()

/** The signal since the trial began, its stretches coloured: events as alarms are, normal ones plain. */
export function TrialChart({
  trial,
  onPick,
}: {
  trial: Trial
  onPick?: (label: 'normal' | 'event', from: string, until: string) => void
}) {
  const zone = useSite().data?.zone ?? 'UTC'
  const now = useNow()
  const signal = useSignals().data?.find((s) => pathOf(s) === trial.signal)
  const begun = Math.min(Date.parse(trial.started_at), ...trial.stretches.map((s) => Date.parse(s.from)))
  const ended = trial.stretches.some((s) => !s.until) || !trial.ended_at ? now : Date.parse(trial.ended_at)
  const from = begun - 60_000
  const until = Math.max(ended, from + 5 * 60_000)
  const tick = Math.floor(until / 3000)
  const [device = '', name = ''] = trial.signal.split('/')
  const line = useQuery({
    queryKey: keyOf('line', trial.signal, 'trial', from, tick),
    queryFn: async () =>
      timed(
        await take(
          api.GET('/api/v1/signals/{device}/{signal}/line', {
            params: { path: { device, signal: name }, query: { since: iso(from), until: iso(until), columns: 1000 } },
          }),
        ),
      ),
    placeholderData: (old) => old,
    gcTime: 0,
  })
  const found = useTrialSuggestion(trial).data
  if (!signal || !line.data) return <Waiting />
  const unit = shown(signal.unit)
  return (
    <Well>
      <LineChart
        line={{ ...line.data, value: line.data.value.map((v) => seen(v, signal.unit)) }}
        from={from}
        until={until}
        unit={unit}
        zone={zone}
        limits={found?.apart ? [{ limit: seen(found.limit, signal.unit), severity: 'warning', name: 'suggested' }] : []}
        alarms={trial.stretches.map((s) => ({
          raised_at: s.from,
          cleared_at: s.until ?? iso(now),
          severity: s.label === 'event' ? 'critical' : 'advisory',
        }))}
        label={`${signal.title} in the trial: ${trial.stretches.map((s) => s.label).join(', ') || 'nothing marked'}`}
      />
      <Soft>Red stretches are events, blue ones are normal.</Soft>
      {onPick && <PastStretch from={from} until={until} zone={zone} onPick={onPick} />}
    </Well>
  )
}

type PastProps = {
  from: number
  until: number
  zone: string
  onPick: (label: 'normal' | 'event', from: string, until: string) => void
}

/** Marks a stretch afterwards: two sliders along the chart. */
function PastStretch({ from, until, zone, onPick }: PastProps) {
  const [label, setLabel] = useState('event')
  const [begin, setBegin] = useState(0.4)
  const [end, setEnd] = useState(0.6)
  const at = (share: number) => from + share * (until - from)
  const low = at(Math.min(begin, end))
  const high = at(Math.max(begin, end))
  const moment = (share: number) => clock(at(share), zone, seconds)
  return (
    <Details title="Mark a stretch afterwards">
      <Slider label="From" step={0.001} value={begin} onChange={setBegin} says={moment(begin)} />
      <Slider label="To" step={0.001} value={end} onChange={setEnd} says={moment(end)} />
      <Row>
        <Select label="Mark as" value={label} onChange={setLabel} options={{ event: 'an event', normal: 'normal' }} />
        <QuietButton onPress={() => onPick(label as 'event' | 'normal', iso(low), iso(high))}>Mark</QuietButton>
      </Row>
    </Details>
  )
}

/** The suggestion of a trial, asked for anew when its stretches change. */
export const useTrialSuggestion = (trial: Trial) =>
  useSuggestion(trial.id, trial.stretches.map((s) => `${s.id}${s.label}${s.until ?? ''}`).join())
