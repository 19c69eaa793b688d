import { Cells, CellSelect, CellText, FileField } from '../../ui/cells'
import { useId, useState } from 'react'
import { api, type ImportJob, type Layout, Problem, take } from '../../api/client'
import { useDevices } from '../../api/device'
import { ask, askOnly } from '../../api/kept'
import { acted, useAct } from '../../api/queries'
import { useSite } from '../../api/site'
import { clock, many } from '../../api/words'
import { Button, Columns, Failure, Prose, QuietButton, Row, Soft, Subheading, Table } from '../../ui/basics'
import { Fields, Select } from '../../ui/form'

const devicesFor = (names: string[]) =>
  Object.fromEntries([['', 'that the file names'], ...names.map((name) => [name, name])]) as Record<string, string>

const wait = (ms: number) => new Promise((done) => setTimeout(done, ms))
const place = (id: string) => ({ params: { path: { id } } })

/** Sends a file, which openapi-fetch would turn into JSON. */
async function send(file: File, device: string): Promise<ImportJob> {
  const query = new URLSearchParams({ name: file.name, device })
  const answer = await ask(new Request(`/api/v1/imports?${query}`, { method: 'POST', body: file }))
  const body = (await answer.json()) as ImportJob & { detail?: string }
  if (!answer.ok) throw new Problem(answer.status, body.detail ?? answer.statusText)
  return body
}

/** Runs an import, or tries it, and waits for its end. */
async function run(job: ImportJob, attempt: boolean, told: (job: ImportJob) => void): Promise<ImportJob> {
  const body = { layout: job.layout, try: attempt }
  let now = await take(
    api.POST('/api/v1/imports/{id}/run', { ...place(job.id), body, ...(attempt ? { fetch: askOnly } : {}) }),
  )
  while (now.state === 'running' || now.state === 'trying') {
    told(now)
    await wait(400)
    now = await take(api.GET('/api/v1/imports/{id}', place(job.id)))
  }
  if (!attempt) acted('POST', `/api/v1/imports/${job.id}/run`)
  if (now.state === 'failed') throw new Problem(422, now.error)
  told(now)
  return now
}

/** Readings from a file: chosen, guessed, shown, tried, taken in. */
export function BringIn() {
  const devices = useDevices().data ?? []
  const [device, setDevice] = useState('')
  const [job, setJob] = useState<ImportJob>()
  const bring = useAct((file: File) => send(file, device))
  const go = useAct((attempt: boolean) => run(job!, attempt, setJob))
  const choose = (file: File) => bring.mutate(file, { onSuccess: setJob })
  const end = () => {
    if (job) void api.DELETE('/api/v1/imports/{id}', place(job.id))
    setJob(undefined)
    go.reset()
  }
  const busy = bring.isPending || go.isPending
  const error = bring.error ?? go.error
  return (
    <>
      <Subheading>Import</Subheading>
      {!job && (
        <>
          <Prose>
            From a CSV, SenML or Parquet file. What the columns hold is guessed and shown before anything is stored. No
            guard looks at what is imported.
          </Prose>
          <Fields>
            <Select
              label="Device"
              value={device}
              onChange={setDevice}
              options={devicesFor(devices.map((d) => d.name))}
            />
            <FileField label="File" onChange={choose} busy={busy} />
          </Fields>
        </>
      )}
      {job && (
        <>
          <Shape job={job} onChange={(layout) => setJob({ ...job, layout, state: 'guessed', outcome: undefined })} />
          <Outcome job={job} />
          <Row>
            {job.state !== 'done' && (
              <>
                <QuietButton isDisabled={busy} onPress={() => go.mutate(true)}>
                  Preview
                </QuietButton>
                <Button isDisabled={busy} onPress={() => go.mutate(false)}>
                  Import
                </Button>
              </>
            )}
            <QuietButton isDisabled={busy} onPress={end}>
              {job.state === 'done' ? 'Another file' : 'Cancel'}
            </QuietButton>
          </Row>
        </>
      )}
      {error && <Failure error={error} />}
    </>
  )
}

const holdings: Record<string, string> = {
  nothing: 'nothing',
  time: 'the time',
  values: 'values of a signal',
  signal: "the signal's name",
  value: 'the value',
  unit: 'the unit',
  text: 'text',
  quality: 'the quality',
}

/** What the file seems to be; a person can say what its columns truly hold. */
function Shape({ job, onChange }: { job: ImportJob; onChange: (layout: Layout) => void }) {
  const site = useSite().data?.zone ?? 'UTC'
  const devices = useDevices().data ?? []
  const rows = useId()
  const l = job.layout
  if (l.format !== 'csv')
    return <Prose>{`${job.name} is ${l.format === 'senml' ? 'a SenML pack' : 'a Parquet file'}.`}</Prose>
  const columns = l.columns ?? []
  const example = job.first[l.head ? 1 : 0] ?? []
  const set = (i: number, change: Partial<(typeof columns)[0]>) =>
    onChange({ ...l, columns: columns.map((c, k) => (k === i ? { ...c, ...change } : c)) })
  return (
    <>
      <Prose>
        {job.name}: {columns.length} columns, times written as {l.times}.
      </Prose>
      <Fields>
        <Select
          label="Device"
          value={l.device ?? ''}
          onChange={(device) => onChange({ ...l, device })}
          options={devicesFor(devices.map((d) => d.name))}
        />
        {job.zoned && (
          <Select
            label="Time zone of its times"
            value={l.zone ?? ''}
            onChange={(zone) => onChange({ ...l, zone })}
            options={{ '': 'in which time zone?', site: `the site's (${site})`, UTC: 'UTC' }}
          />
        )}
      </Fields>
      <Cells tabIndex={0} role="region" aria-label="Columns of the file">
        <Table>
          <Columns names={['Column', 'Example', 'Contains', 'Signal', 'Unit']} />
          <tbody>
            {columns.map((c, i) => (
              <tr key={`${rows} ${i}`}>
                <td>{c.name}</td>
                <td>
                  <Soft>{example[i]}</Soft>
                </td>
                <td>
                  <CellSelect
                    label={`What ${c.name} holds`}
                    value={c.holds}
                    onChange={(holds) => set(i, { holds: holds as typeof c.holds })}
                    options={Object.entries(holdings)}
                  />
                </td>
                <td>
                  {c.holds === 'values' && (
                    <CellText
                      label={`Signal of ${c.name}`}
                      value={c.signal ?? ''}
                      onChange={(signal) => set(i, { signal })}
                    />
                  )}
                </td>
                <td>
                  {c.holds === 'values' && (
                    <CellText
                      label={`Unit of ${c.name}`}
                      size={6}
                      value={c.unit ?? ''}
                      onChange={(unit) => set(i, { unit })}
                    />
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Cells>
    </>
  )
}

/** What became of it, or would. */
function Outcome({ job }: { job: ImportJob }) {
  const zone = useSite().data?.zone ?? 'UTC'
  const o = job.outcome
  const when: Intl.DateTimeFormatOptions = {
    day: 'numeric',
    month: 'short',
    year: 'numeric',
    hour: '2-digit',
    minute: '2-digit',
  }
  if (!o) return null
  const verb = job.state === 'tried' || job.state === 'trying' ? 'would be' : 'were'
  const busy = job.state === 'running' || job.state === 'trying'
  return (
    <div role="status">
      <Prose>
        {busy && `${Math.round(job.read * 100)} % read. `}
        {many(o.readings)} readings: {many(o.added)} {verb} added, {many(o.same)} are there already
        {o.conflicts > 0 && `, ${many(o.conflicts)} are in conflict with others and stay out`}
        {o.refused > 0 && `, ${many(o.refused)} lines are wrong`}.
      </Prose>
      <ul>
        {Object.entries(o.signals ?? {}).map(([path, got]) => (
          <li key={path}>
            {path}: {many(got.added)} {got.new && <b>new</b>}{' '}
            <Soft>
              · {clock(Date.parse(got.from), zone, when)} to {clock(Date.parse(got.until), zone, when)}
            </Soft>
          </li>
        ))}
        {o.samples.map((r) => (
          <li key={`${r.line} ${r.field} ${r.reason}`}>
            {r.line > 0 && `Line ${r.line}: `}
            {r.field} {r.reason}
          </li>
        ))}
      </ul>
    </div>
  )
}
