import { useState } from 'react'
import { api, type Site, type Storage } from '../../api/client'
import { hasDraft, useFormDraft } from '../../api/drafts'
import { useStorage } from '../../api/history'
import { useSession, useSite } from '../../api/site'
import { bytes, clock, many, inWords, type Length } from '../../api/words'
import { Clear } from './clear'
import { BringIn } from './in'
import { TakeOut } from './out'
import { Columns, Heading, Num, PlainLink, Prose, QuietButton, Scroll, Soft, Subheading, Table } from '../../ui/basics'
import { Changing, type SaveUnder } from '../../ui/changing'
import { Form, Send, TextInput, useSave } from '../../ui/form'
import { NoPage } from '../../ui/no-page'
import { Opens } from '../../ui/opens'

const day: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'long', year: 'numeric' }

/** What is stored: how much room it takes, out, in, and away. */
export function History() {
  const storage = useStorage()
  const role = useSession().data?.role
  if (storage.error) return <NoPage error={storage.error} />
  if (!storage.data) return <Soft>Looking …</Soft>
  return (
    <>
      <title>History · Jaunty Lark</title>
      <Heading>History</Heading>
      <Room storage={storage.data} owner={role === 'owner'} />
      <TakeOut owner={role === 'owner'} />
      {role !== 'viewer' && <BringIn />}
      <Clear owner={role === 'owner'} />
    </>
  )
}

/** How much room the history takes, and will. */
function Room({ storage: s, owner }: { storage: Storage; owner: boolean }) {
  const zone = useSite().data?.zone ?? 'UTC'
  const [all, setAll] = useState(false)
  const shown = all ? s.signals : s.signals.slice(0, 6)
  return (
    <>
      <Prose>
        {many(s.readings)} readings in {bytes(s.database)}, {s.each.toFixed(2)} bytes each. At this rate a year adds{' '}
        {bytes(s.year)}
        {s.settled != null
          ? `; by the rules of what is kept it comes to ${bytes(s.settled)}`
          : s.full
            ? `; the disk will be full on ${clock(Date.parse(s.full), zone, day)}`
            : ''}
        . {s.free != null && s.disk != null && `The disk has ${bytes(s.free)} free of ${bytes(s.disk)}.`}
      </Prose>
      <Keep owner={owner} />
      {s.stale.length > 0 && (
        <Prose role="status">
          Figures of {[...new Set(s.stale.map((x) => x.signal))].slice(0, 3).join(', ')} are being computed anew.
        </Prose>
      )}
      <Subheading>What takes room</Subheading>
      <Scroll tabIndex={0} role="region" aria-label="What takes room">
        <Table>
          <Columns names={['Signal', 'Readings', 'Size', 'Bytes each', 'A day']} />
          <tbody>
            {shown.map((f) => (
              <tr key={f.signal}>
                <td>
                  <PlainLink href={`/signals/${f.signal}?last=month`}>{f.signal}</PlainLink>
                </td>
                <Num>{many(f.readings)}</Num>
                <Num>{bytes(f.bytes)}</Num>
                <Num>{(f.bytes / Math.max(1, f.readings)).toFixed(2)}</Num>
                <Num>{many(Math.round(f.per_day))}</Num>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroll>
      {s.signals.length > 6 && (
        <p>
          <QuietButton onPress={() => setAll(!all)}>
            {all ? 'The largest alone' : `All ${s.signals.length}`}
          </QuietButton>
        </p>
      )}
      {s.savings.length > 0 && (
        <>
          <Subheading>Ways to save room</Subheading>
          <ul>
            {s.savings.map((x) => (
              <li key={x.do}>
                {x.do} <Soft>· {bytes(x.bytes)} a year less</Soft>
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  )
}

const long = (d: number | undefined) => (d ? `for ${inWords(d)}` : 'for ever')

type Kept = 'keep_readings' | 'keep_figures' | 'keep_alarms' | 'keep_journal'

/** For how long one kind of thing is kept. */
function Length({ site, of, label, hint }: { site: Pick<Site, Kept>; of: Kept; label: string; hint: string }) {
  const now = site[of]
  return <TextInput label={label} name={of} optional hint={hint} defaultValue={now ? inWords(now) : ''} />
}

const keepDraft = 'for how long things are kept'

/** For how long things are kept, where nothing else says. */
function Keep({ owner }: { owner: boolean }) {
  const site = useSite().data
  if (!site) return null
  return (
    <>
      <Prose>
        Readings are kept {long(site.keep_readings)}, their figures by hour and day {long(site.keep_figures)}, unless a
        signal or its kit says otherwise. Alarms that are over are kept {long(site.keep_alarms)} with all that explains
        them, the rest of the journal {long(site.keep_journal)}.
      </Prose>
      {owner && (
        <Opens name="Edit …" label="Edit how long they are kept …" startOpen={hasDraft(keepDraft)}>
          {(close) => (
            <Changing of="site" look={() => api.GET('/api/v1/site')}>
              {(begun, save) => <KeepForm site={begun} saveUnder={save} onClose={close} />}
            </Changing>
          )}
        </Opens>
      )}
    </>
  )
}

type KeepProps = { site: Site; saveUnder: SaveUnder; onClose: () => void }

function KeepForm({ site, saveUnder, onClose }: KeepProps) {
  const draft = useFormDraft(keepDraft)
  const never = { keep_readings: '0s', keep_figures: '0s', keep_alarms: '0s', keep_journal: '0s' }
  const save = useSave(
    (fields) =>
      saveUnder((header) => api.PUT('/api/v1/site', { params: { header }, body: { ...site, ...never, ...fields } })),
    draft.unsaved,
    onClose,
  )
  return (
    <Form save={save} draft={draft}>
      <Length site={site} label="Keep readings for" of="keep_readings" hint="like 365d; for ever when empty" />
      <Length site={site} label="Keep figures by hour and day for" of="keep_figures" hint="for ever when empty" />
      <Length
        site={site}
        label="Keep alarms for"
        of="keep_alarms"
        hint="with their notices and journal, once they are over; for ever when empty"
      />
      <Length
        site={site}
        label="Keep the journal for"
        of="keep_journal"
        hint="and the notices that are about no alarm; for ever when empty"
      />
      <Send send="Save" onCancel={onClose} />
    </Form>
  )
}
