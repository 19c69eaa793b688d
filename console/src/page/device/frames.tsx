import { Slider } from '../../ui/slider'
import { useCallback, useMemo, useState } from 'react'
import { useParams, useSearchParams } from 'react-router'
import styled from 'styled-components'
import { type Eye, type FrameHead, pathOf } from '../../api/client'
import { useDevice } from '../../api/device'
import { extentOf, firstStrip, frameFile, stripFile, useEye, useFrames, useGrid, usePalettes } from '../../api/frames'
import { useRested } from '../../api/lines'
import { useSignals } from '../../api/signal'
import { useSession, useSite } from '../../api/site'
import { stored } from '../../api/units'
import { clock, readsAs, shown } from '../../api/words'
import { AssetChart } from '../asset/chart'
import { EyeFields } from './frame-eye'
import { FrameCanvas } from '../../thermal/canvas'
import { ColourScale } from '../../thermal/scale'
import { signalOf } from '../../thermal/shapes'
import { FrameStrip } from '../../thermal/strip'
import { Above, Beside, Failure, Heading, PlainLink, Prose, QuietLink, Row, Soft, Subheading } from '../../ui/basics'
import { Select } from '../../ui/form'
import { NoPage } from '../../ui/no-page'
import { NumberField } from '../../ui/number'

const Picture = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: var(--gap-3);
  max-width: 640px;
  > :last-child {
    padding-bottom: calc(1.4em + 6px); /* beside the picture, not beside what it reads */
  }
`
const Looks = styled.div`
  display: grid;
  gap: var(--gap-4);
  margin-bottom: var(--gap-4);
  select,
  input:not([type='range']) {
    width: 100%;
    min-width: 0;
    box-sizing: border-box;
  }
  > div {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: var(--gap-3);
    align-items: start;
  }
`
/** What is chosen of the strip below it. */
const OverStrip = styled(Row)`
  align-items: end;
  margin: var(--gap-4) 0 var(--gap-3);
`
const hour = 3600_000
const spans = { '6': 6 * hour, '24': firstStrip.span, '168': 168 * hour, '720': 720 * hour, '8760': 8760 * hour }
const spanNames = { '6': '6 hours', '24': 'day', '168': 'week', '720': '30 days', '8760': 'year' }

/** The thermal frames of a device: one of them large, the others as a strip, and what they tell as lines. */
export function FramesPage() {
  const { device = '' } = useParams()
  const [query, setQuery] = useSearchParams()
  const eye = useEye(device)
  const title = useDevice(device, 60_000).data?.title ?? device
  const zone = useSite().data?.zone ?? 'UTC'
  const keeper = useSession().data?.role !== 'viewer'
  const span = (query.get('last') ?? '24') as keyof typeof spans
  const asked = query.get('at') ?? ''
  // A frame of long ago that a link opens stands in the middle of the strip.
  const [opened] = useState(() => ({
    at: Date.parse(asked || '1970-01-01'),
    age: asked ? Date.now() - Date.parse(asked) : 0,
  }))
  const until = opened.age > spans[span] ? opened.at + spans[span] / 2 : 0
  const list = useFrames(device, spans[span] ?? firstStrip.span, until, firstStrip.most)
  const frames = useMemo(() => list.data?.frames ?? [], [list.data])
  const at = asked || frames.at(-1)?.at || ''
  const set = useCallback(
    (name: string, value: string) =>
      setQuery(
        (old) => {
          const next = new URLSearchParams(old)
          if (value) next.set(name, value)
          else next.delete(name)
          return next
        },
        { replace: true },
      ),
    [setQuery],
  )
  const onAt = useCallback((to: string) => set('at', to), [set])
  const [pictured, setPictured] = useState(false) // the strip comes first, then all else
  if (eye.error) return <NoPage error={eye.error} />
  if (!eye.data || !list.data) return <Soft>Looking …</Soft>
  if (eye.data.width === 0) return <NoneYet device={device} title={title} />
  return (
    <>
      <title>{`Frames of ${title} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href={`/devices/of/${device}`}>{title}</PlainLink> · {eye.data.width} × {eye.data.height}
      </Above>
      <Heading>What {title} sees</Heading>
      <Viewer
        key={device}
        device={device}
        eye={eye.data}
        at={at}
        frames={frames}
        zone={zone}
        strip={(look) => (
          <>
            <OverStrip>
              <Select label="Frames of the last" value={span} onChange={(v) => set('last', v)} options={spanNames} />
              <QuietLink href={stripFile(device, stretchOf(frames, look))} download={`${device}.gif`}>
                Save as a moving picture
              </QuietLink>
            </OverStrip>
            <FrameStrip
              device={device}
              frames={frames}
              all={list.data.all}
              at={at}
              onAt={onAt}
              zone={zone}
              ratio={eye.data.width / eye.data.height}
              look={look}
              onSeen={setPictured}
            />
          </>
        )}
      />
      {(pictured || !frames.length) && (
        <>
          <Course device={device} eye={eye.data} frames={frames} onAt={onAt} />
          {keeper && <EyeFields key={device} device={device} eye={eye.data} at={at} />}
        </>
      )}
    </>
  )
}

function NoneYet({ device, title }: { device: string; title: string }) {
  return (
    <>
      <Heading>{title} has sent no frame yet.</Heading>
      <Prose>
        Send a grid of temperatures as CSV, JSON, CBOR or a 16-bit graymap: over HTTP to /api/v1/intake/frames, over
        MQTT to jaunty/{device}/frames, over CoAP to /frames. Its highest, lowest and mean become signals at once.
      </Prose>
    </>
  )
}

const stretchOf = (frames: FrameHead[], look: Record<string, string>) => ({
  since: frames[0]?.at ?? '',
  until: frames.at(-1)?.at ?? '',
  ...look,
})

type ViewerProps = {
  device: string
  eye: Eye
  at: string
  frames: FrameHead[]
  zone: string
  strip: (look: Record<string, string>) => React.ReactNode
}

/** One frame, and how it is looked at: its palette, its range, what it is compared with, the picture beside it. */
function Viewer({ device, eye, at, frames, zone, strip }: ViewerProps) {
  const [palette, setPalette] = useState('hearth')
  const [low, setLow] = useState<number>()
  const [high, setHigh] = useState<number>()
  const [against, setAgainst] = useState('')
  const [outlines, setOutlines] = useState('yes')
  const [blend, setBlend] = useState(0)
  const rested = useRested(at, 40)
  const grid = useGrid(device, rested, against)
  const palettes = usePalettes().data ?? []
  const difference = against !== ''
  const colours = palettes.find((p) => (difference ? p.both : p.name === palette))?.colours ?? []
  const head = frames.find((f) => f.at === grid.data?.at)
  const range = useRange(grid.data, difference ? undefined : low, difference ? undefined : high, difference)
  const look: Record<string, string> = { palette }
  if (isSaid(low)) look.low = String(range[0])
  if (isSaid(high)) look.high = String(range[1])
  if (grid.error) return <Failure error={grid.error} />
  // The strip does not wait for the large picture.
  const shownAt = clock(grid.data?.at ?? at, zone, {
    day: 'numeric',
    month: 'long',
    hour: '2-digit',
    minute: '2-digit',
    second: '2-digit',
  })
  return (
    <>
      <Beside $above={4}>
        <Picture>
          <div style={{ aspectRatio: grid.data ? undefined : eye.width / eye.height }}>
            {grid.data && colours.length > 0 && (
              <FrameCanvas
                grid={grid.data}
                colours={colours}
                range={range}
                difference={difference}
                regions={outlines === 'yes' ? (eye.regions ?? []) : []}
                picture={head?.pictured ? frameFile(device, grid.data.at, 'jpg') : undefined}
                blend={blend}
                label={`Frame of ${shownAt}`}
              />
            )}
          </div>
          <div>
            <ColourScale colours={colours} range={range} difference={difference} />
          </div>
        </Picture>
        <div>
          <Looks>
            <Select
              label="Palette"
              value={palette}
              onChange={setPalette}
              options={Object.fromEntries(
                palettes.filter((p) => !p.both).map((p) => [p.name, `${p.name}: ${p.words}`]),
              )}
            />
            <div>
              <NumberField
                label="From"
                unit={shown('Cel')}
                optional
                value={low}
                onChange={setLow}
                hint="its own when empty"
              />
              <NumberField label="To" unit={shown('Cel')} optional value={high} onChange={setHigh} />
            </div>
            <Select
              label="What has changed since"
              value={against}
              onChange={setAgainst}
              options={{
                '': 'show temperatures',
                ...(eye.reference
                  ? {
                      reference: `the reference, ${clock(eye.reference, zone, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })}`,
                    }
                  : {}),
                ...(frames[0] ? { [frames[0].at]: 'the first frame of the strip' } : {}),
                ...(at ? { [at]: 'the frame that is shown now' } : {}),
              }}
            />
            <Select
              label="Regions"
              value={outlines}
              onChange={setOutlines}
              options={{ yes: 'outlined', no: 'not shown' }}
            />
            {head?.pictured && (
              <Slider label="Picture of visible light" step={0.05} value={blend} onChange={setBlend} />
            )}
          </Looks>
          <Row>
            <QuietLink
              href={frameFile(device, grid.data?.at ?? at, 'png', {
                ...look,
                against,
                regions: outlines === 'yes' ? 'true' : '',
              })}
              download={`${device}.png`}
            >
              Picture
            </QuietLink>
            <QuietLink href={frameFile(device, grid.data?.at ?? at, 'csv', { against })} download={`${device}.csv`}>
              CSV
            </QuietLink>
          </Row>
        </div>
      </Beside>
      {strip(look)}
    </>
  )
}

const isSaid = (n: number | undefined): n is number => n !== undefined && !Number.isNaN(n)

/** The range of the palette, °C: as it is written, else the frame's own; of differences, even to both sides. */
function useRange(
  grid: Parameters<typeof extentOf>[0] | undefined,
  low: number | undefined,
  high: number | undefined,
  both: boolean,
) {
  return useMemo((): [number, number] => {
    let [a, b] = grid ? extentOf(grid) : [0, 1]
    if (both) [a, b] = [-Math.max(-a, b, 0.1), Math.max(-a, b, 0.1)]
    const from = isSaid(low) ? stored(low, 'Cel') : a
    const to = isSaid(high) ? stored(high, 'Cel') : b
    return to > from ? [from, to] : [a, b]
  }, [grid, low, high, both])
}

type CourseProps = { device: string; eye: Eye; frames: FrameHead[]; onAt: (at: string) => void }

/** What the frames tell as lines; the frame nearest to the chart's cursor is shown above. */
function Course({ device, eye, frames, onAt }: CourseProps) {
  const all = useSignals().data ?? []
  const names = [...(eye.regions ?? []).map(signalOf), 'highest', 'mean']
  const signals = names.flatMap((n) => all.find((s) => pathOf(s) === `${device}/${n}`) ?? [])
  const nearest = useCallback(
    (cursor: number | undefined) => {
      if (cursor === undefined || !frames.length) return
      const far = (f: FrameHead) => Math.abs(Date.parse(f.at) - cursor)
      onAt(frames.reduce((a, b) => (far(b) < far(a) ? b : a)).at)
    },
    [frames, onAt],
  )
  if (!signals.length) return null
  return (
    <>
      <Subheading>Lines</Subheading>
      <AssetChart signals={signals} range="24h" onCursor={nearest} />
      <ul aria-label="Signals of the frames">
        {all
          .filter((s) => s.device === device)
          .map((s) => (
            <li key={s.id}>
              <PlainLink href={`/signals/${pathOf(s)}`}>{s.title}</PlainLink>: {readsAs(s)}
            </li>
          ))}
      </ul>
    </>
  )
}
