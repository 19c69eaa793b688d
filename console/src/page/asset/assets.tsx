import { useNavigate } from 'react-router'
import styled from 'styled-components'
import { addAsset, attachment, calledAsset, conditionWords, labels, useAssets } from '../../api/asset'
import { type AssetLine, pathOf } from '../../api/client'
import { useFormDraft } from '../../api/drafts'
import { frameFile, useNewestFrame } from '../../api/frames'
import { useNow } from '../../api/live'
import { useSignal } from '../../api/signal'
import { useSession } from '../../api/site'
import { age, count, readsAs } from '../../api/words'
import { Above, Heading, PlainLink, Prose, QuietLink, Row, Soft, Well } from '../../ui/basics'
import { Form, Pick, Send, TextInput, useSave } from '../../ui/form'
import { List } from '../../ui/list'
import { NoPage } from '../../ui/no-page'
import { Opens } from '../../ui/opens'
import { Shape, Silent, toneOf } from '../../ui/severity'

const Toned = styled.div<{ $tone?: string }>`
  color: ${(p) => p.$tone || 'inherit'};
`

const Line = styled.li<{ $depth: number }>`
  display: grid;
  grid-template-columns: 76px minmax(0, 1fr) auto 124px;
  gap: var(--gap-4);
  align-items: center;
  border-bottom: var(--hair);
  padding: 10px 0 10px calc(${(p) => p.$depth} * 28px);
  min-height: 72px;
  img,
  i {
    display: block;
    width: 76px;
    height: 57px;
    object-fit: cover;
    border-radius: var(--radius);
    background: var(--sunk);
  }
  i {
    display: grid;
    place-content: center;
    font-style: normal;
    font-size: var(--step-2);
    color: var(--ink-soft);
  }
  img[data-thermal] {
    image-rendering: pixelated;
  }
  b {
    font-weight: 620;
    font-size: var(--step-1);
  }
  > :nth-child(3) {
    text-align: right;
    font-variant-numeric: tabular-nums;
  }
  > :nth-child(4) {
    text-align: right;
  }
  @media (max-width: 760px) {
    grid-template-columns: 76px minmax(0, 1fr);
    padding-left: calc(${(p) => p.$depth} * 12px);
    row-gap: var(--gap-1);
    > :nth-child(3),
    > :nth-child(4) {
      grid-column: 2;
      text-align: left;
    }
  }
`

/** The things that are looked after, in their tree, with what each reads now. */
export function Assets() {
  const assets = useAssets()
  const keeper = useSession().data?.role !== 'viewer'
  if (assets.error) return <NoPage error={assets.error} />
  if (!assets.data) return <Soft>Looking …</Soft>
  const all = assets.data
  const ill = all.filter((a) => a.worst || a.condition === 'attention' || a.condition === 'out of order').length
  return (
    <>
      <title>Assets · Jaunty Lark</title>
      <Above>{all.length} in all</Above>
      <Heading>
        {all.length === 0
          ? 'What do you look after?'
          : ill === 0
            ? 'All things are in order.'
            : ill === 1
              ? 'One thing needs somebody.'
              : `${count(ill)} things need somebody.`}
      </Heading>
      {all.length === 0 && (
        <Prose>
          A pump, a cabinet, a heap: say what stands where, which signals belong to it, and put it under guard. Its page
          tells in words how it does.
        </Prose>
      )}
      <Row $above={4}>
        {keeper && <Opens name="Add an asset …">{(close) => <Add all={all} onClose={close} />}</Opens>}
        {all.length > 0 && (
          <>
            <QuietLink href="/runs">Runs</QuietLink>
            <QuietLink href={labels} download>
              Print labels
            </QuietLink>
          </>
        )}
      </Row>
      <List aria-label="Assets">
        {all.map((a) => (
          <AssetItem key={a.name} asset={a} />
        ))}
      </List>
    </>
  )
}

function AssetItem({ asset: a }: { asset: AssetLine }) {
  const now = useNow()
  const live = useSignal(a.reading ? pathOf(a.reading) : '') ?? a.reading
  return (
    <Line $depth={a.depth} data-asset={a.name}>
      <Thumb asset={a} />
      <div>
        {a.worst && <Shape of={a.worst} />}{' '}
        <PlainLink href={`/assets/${a.name}`}>
          <b>{calledAsset(a)}</b>
        </PlainLink>
        <br />
        <Soft>{[a.kind, guardsOf(a), a.run && `${a.run.title} is on`].filter(Boolean).join(' · ')}</Soft>
      </div>
      <Toned $tone={a.worst && toneOf(a.worst)}>
        {live && live.value != null && (
          <>
            <b>{readsAs(live)}</b>
            <br />
            <Soft>
              {live.title}, {age(live.at, now)}
            </Soft>
          </>
        )}
      </Toned>
      <div>{a.condition !== 'in order' && <Silent word={conditionWords[a.condition]} />}</div>
    </Line>
  )
}

const guardsOf = (a: AssetLine) =>
  a.condition === 'retired' ? '' : a.guards === 0 ? 'not guarded' : a.guards === 1 ? '1 guard' : `${a.guards} guards`

/** Its newest thermal frame, else its first photo. */
function Thumb({ asset: a }: { asset: AssetLine }) {
  const at = useNewestFrame(a.eye)
  if (a.eye && at) return <img data-thermal src={frameFile(a.eye, at, 'png', { bare: 'true', width: '96' })} alt="" />
  if (a.photo != null) return <img src={attachment(a.name, a.photo, true)} alt="" loading="lazy" />
  return <i aria-hidden="true">{calledAsset(a).charAt(0)}</i>
}

const nameFrom = (title: string) =>
  title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
    .slice(0, 63)

function Add({ all, onClose }: { all: AssetLine[]; onClose: () => void }) {
  const go = useNavigate()
  const draft = useFormDraft('new asset')
  const add = useSave(
    ({ title = '', ...f }) => addAsset(nameFrom(title), { title, kind: f.kind, in: f.in }),
    draft.unsaved,
    (p) => void go(`/assets/${p.asset.name}`),
  )
  return (
    <Well $flush>
      <Form save={add} draft={draft}>
        <TextInput label="Title" name="title" hint="like Fog pump" />
        <TextInput label="Kind" name="kind" optional hint="like pump, cabinet, room" />
        <Pick
          label="Stands in"
          name="in"
          none="nothing"
          options={all.map((a) => ({ value: a.name, text: calledAsset(a) }))}
        />
        <Send send="Add" onCancel={onClose} />
      </Form>
    </Well>
  )
}
