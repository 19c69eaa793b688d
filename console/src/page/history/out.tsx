import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { pathOf } from '../../api/client'
import { useDevices } from '../../api/device'
import { useSignals } from '../../api/signal'
import { Prose, QuietLink, Row, Subheading } from '../../ui/basics'
import { Fields, Select } from '../../ui/form'

const stretches: Record<string, string> = {
  '1': 'the last day',
  '7': 'the last week',
  '31': 'the last 31 days',
  '': 'all',
}
const periods: Record<string, string> = {
  '': 'each reading',
  '15m': 'figures of 15 minutes',
  '1h': 'figures by hour',
  '1d': 'figures by day',
}
const formats: Record<string, string> = {
  csv: 'CSV',
  xlsx: 'spreadsheet (XLSX)',
  senml: 'SenML (JSON)',
  parquet: 'Parquet',
}

/** What to choose from, devices first. */
export function useThings() {
  const devices = (useDevices().data ?? []).map((d) => d.name)
  const signals = (useSignals().data ?? []).map(pathOf)
  return Object.fromEntries([['', 'all devices'], ...[...devices, ...signals].sort().map((name) => [name, name])])
}

/** Readings as a file, or the whole site. */
export function TakeOut({ owner }: { owner: boolean }) {
  const [query] = useSearchParams()
  const things = useThings()
  const [what, setWhat] = useState(query.get('what') ?? '')
  const [days, setDays] = useState('7')
  const [every, setEvery] = useState('')
  const [format, setFormat] = useState('csv')
  const [opened] = useState(() => Date.now())
  const ask = new URLSearchParams({ format, until: new Date(opened).toISOString() })
  if (what) ask.set('what', what)
  if (every) ask.set('every', every)
  if (days) ask.set('since', new Date(opened - Number(days) * 86_400_000).toISOString())
  const wrong = format === 'senml' && every !== ''
  return (
    <>
      <Subheading>Export</Subheading>
      <Fields>
        <Select label="Readings of" value={what} onChange={setWhat} options={things} />
        <Select label="Time span" value={days} onChange={setDays} options={stretches} />
        <Select label="Values" value={every} onChange={setEvery} options={periods} />
        <Select label="Format" value={format} onChange={setFormat} options={formats} />
      </Fields>
      {wrong && <Prose>SenML has readings, not figures by period.</Prose>}
      <Row>
        {!wrong && (
          <QuietLink href={`/api/v1/export?${ask}`} download>
            Export
          </QuietLink>
        )}
        {owner && (
          <QuietLink href="/api/v1/archive" download>
            Export the whole site as one archive
          </QuietLink>
        )}
      </Row>
    </>
  )
}
