import { lazy, Suspense } from 'react'
import { useParams } from 'react-router'
import styled from 'styled-components'
import { calledAsset, conditionWords, label, labels, useAsset, useAssetJournal } from '../../api/asset'
import { type AssetPage as Page, pathOf } from '../../api/client'
import { frameFile, useNewestFrame } from '../../api/frames'
import { useNow } from '../../api/live'
import { stateWords, titleOf } from '../../api/output'
import { useSignalsOf } from '../../api/signal'
import { useSession, useSite } from '../../api/site'
import { age, clock, readsAs, sentence, testWords } from '../../api/words'
import { AssetChart } from './chart'
import { AssetEdit, ConditionIt, Leave } from './edit'
import { Attachments } from './files'
import { FramesLink } from '../device/frames-link'
import { RunsOf } from '../run/of-asset'
import { Above, Beside, Failure, Heading, PlainLink, Prose, QuietLink, Row, Soft, Subheading } from '../../ui/basics'
import { NoPage } from '../../ui/no-page'
import { Shape, Silent } from '../../ui/severity'

const Noted = lazy(() => import('../../ui/markdown').then((m) => ({ default: m.Noted })))

const Plain = styled.ul`
  padding-left: 0;
  list-style: none;
  margin: var(--gap-2) 0;
  li {
    padding: 5px 0;
    border-bottom: var(--hair);
  }
`
const Thermal = styled.img`
  display: block;
  width: 100%;
  margin-bottom: var(--gap-2);
  border-radius: var(--radius);
`

/** One asset: how it does in words, what guards it, its pictures, its runs, its journal. */
export function AssetPage() {
  const { asset: name = '' } = useParams()
  const page = useAsset(name)
  const keeper = useSession().data?.role !== 'viewer'
  if (page.error) return <NoPage error={page.error} />
  if (!page.data) return <Soft>Looking …</Soft>
  const p = page.data
  return (
    <>
      <title>{`${calledAsset(p.asset)} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href="/assets">Assets</PlainLink>
        {p.place.map((a) => (
          <span key={a.name}>
            {' '}
            · <PlainLink href={`/assets/${a.name}`}>{a.called}</PlainLink>
          </span>
        ))}
        {p.asset.kind && ` · ${p.asset.kind}`}
      </Above>
      <Heading>
        {p.alarms[0] && <Shape of={p.alarms[0].severity} />} {calledAsset(p.asset)}{' '}
        {p.asset.condition !== 'in order' && <Silent word={conditionWords[p.asset.condition]} />}
      </Heading>
      <Prose data-words>{p.words.join(' ')}</Prose>
      {keeper && (
        <Row>
          <QuietLink href={`/assets/${name}/guard`}>Put under guard</QuietLink>
          <ConditionIt asset={p.asset} />
          <AssetEdit page={p} />
        </Row>
      )}
      <Beside>
        <div>
          <Standing page={p} />
          <Signals page={p} />
          <Guards page={p} />
          <Verified page={p} />
          <RunsOf page={p} keeper={keeper} />
          <History name={name} />
        </div>
        <div>
          {p.eyes.map((device) => (
            <NewestFrame key={device} device={device} />
          ))}
          <Attachments page={p} keeper={keeper} />
          {p.asset.note && (
            <Suspense fallback={<Soft>Looking …</Soft>}>
              <Subheading>Notes</Subheading>
              <Noted text={p.asset.note} />
            </Suspense>
          )}
          <Subheading>Its label</Subheading>
          <img src={label(name)} alt={`QR code that opens the page of ${calledAsset(p.asset)}`} width="150" />
          <Row>
            <QuietLink href={`${labels}?asset=${name}`} download>
              Print
            </QuietLink>
            <QuietLink href={`/api/v1/assets/${name}/label.png`} download={`${name}.png`}>
              As a picture
            </QuietLink>
          </Row>
          {keeper && <Leave name={name} parts={p.parts.length} />}
        </div>
      </Beside>
    </>
  )
}

function Standing({ page: p }: { page: Page }) {
  if (!p.alarms.length) return null
  return (
    <Plain aria-label="What is wrong">
      {p.alarms.map((a) => (
        <li key={a.id}>
          <Shape of={a.severity} /> <PlainLink href={`/alarms/${a.id}`}>{sentence(a)}</PlainLink>
        </li>
      ))}
    </Plain>
  )
}

/** What it reads, drawn and listed; what stands in it; what it can switch. */
function Signals({ page: p }: { page: Page }) {
  const now = useNow()
  const signals = useSignalsOf(p.signals.map(pathOf)) ?? p.signals
  const guarded = new Set(p.guards.map((g) => g.signal))
  const first = [...signals].sort((a, b) => Number(guarded.has(pathOf(b))) - Number(guarded.has(pathOf(a))))
  return (
    <>
      {p.parts.length > 0 && (
        <Prose>
          In it stand{p.parts.length === 1 ? 's' : ''}{' '}
          {p.parts.map((a, i) => [
            i > 0 && ', ',
            <PlainLink key={a.name} href={`/assets/${a.name}`}>
              {a.called}
              {a.condition !== 'in order' && ` (${conditionWords[a.condition]})`}
            </PlainLink>,
          ])}
          .
        </Prose>
      )}
      {signals.length > 0 && (
        <>
          <Subheading>Readings</Subheading>
          <AssetChart signals={first.filter((s) => guarded.size === 0 || guarded.has(pathOf(s)))} range="24h" />
          <Plain aria-label="Signals">
            {first.map((s) => (
              <li key={s.id}>
                <PlainLink href={`/signals/${pathOf(s)}`}>{s.title}</PlainLink>: {readsAs(s)}{' '}
                <Soft>· {age(s.at, now)}</Soft> {s.silent_since && <Silent />}
              </li>
            ))}
          </Plain>
        </>
      )}
      {p.outputs.length > 0 && (
        <Prose>
          {p.outputs.map((o, i) => [
            i > 0 && ' · ',
            <PlainLink key={o.id} href={`/outputs/${o.device}/${o.name}`}>
              {titleOf(o)}: {stateWords(o, o.ordered)}
            </PlainLink>,
          ])}
        </Prose>
      )}
    </>
  )
}

function Guards({ page: p }: { page: Page }) {
  const unit = (path: string) => p.signals.find((s) => pathOf(s) === path)?.unit ?? ''
  return (
    <>
      <Subheading>Guards</Subheading>
      {p.guards.length === 0 && <Prose>Nothing yet: nobody is told when something is wrong.</Prose>}
      <Plain aria-label="Guards">
        {p.guards.map((g) => (
          <li key={g.id}>
            <PlainLink href={`/guards/${g.name}`}>
              {p.signals.find((s) => pathOf(s) === g.signal)?.title}:{' '}
              {[g, ...(g.rungs ?? [])].map((r) => `${r.severity} when ${testWords(r.when, unit(g.signal))}`).join('; ')}
              {g.tell?.length ? `, tells ${g.tell.join(' and ')}` : ', tells nobody'}
            </PlainLink>
            {g.shelved && <Silent word="shelved" />}
            {g.out_of_service && <Silent word="out of service" />}
          </li>
        ))}
      </Plain>
    </>
  )
}

function Verified({ page: p }: { page: Page }) {
  const zone = useSite().data?.zone ?? 'UTC'
  if (!p.verified.length) return null
  return (
    <>
      <Subheading>Calibration and verification</Subheading>
      <Plain aria-label="Verifications">
        {p.verified.map((v) => (
          <li key={v.id}>
            <PlainLink href={`/signals/${v.signal}/trust`}>
              {p.signals.find((s) => pathOf(s) === v.signal)?.title}: {v.passed ? 'passed' : 'failed'}
            </PlainLink>{' '}
            <Soft>
              verified {clock(v.at, zone, { day: 'numeric', month: 'short', year: 'numeric' })} by {v.who}
            </Soft>
          </li>
        ))}
      </Plain>
    </>
  )
}

function NewestFrame({ device }: { device: string }) {
  const at = useNewestFrame(device)
  const zone = useSite().data?.zone ?? 'UTC'
  if (!at) return null
  return (
    <>
      <PlainLink href={`/frames/${device}`}>
        <Thermal
          src={frameFile(device, at, 'png', { bare: 'true', width: '320', regions: 'true' })}
          alt={`The newest thermal frame of ${device}, of ${clock(at, zone)}`}
        />
      </PlainLink>
      <FramesLink device={device}>Look at its frames</FramesLink>
    </>
  )
}

function History({ name }: { name: string }) {
  const entries = useAssetJournal(name)
  const zone = useSite().data?.zone ?? 'UTC'
  const moment: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }
  return (
    <>
      <Subheading>Journal</Subheading>
      {entries.error && <Failure error={entries.error} />}
      <Plain aria-label="Journal">
        {(entries.data ?? []).map((e) => (
          <li key={e.id}>
            <Soft>{clock(e.at, zone, moment)}</Soft> {e.text} {e.who && <Soft>· {e.who}</Soft>}
          </li>
        ))}
      </Plain>
    </>
  )
}
