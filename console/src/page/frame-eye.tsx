import { useState } from 'react'
import styled from 'styled-components'
import type { Eye, Region } from '../api/client'
import { extentOf, useEyeAct, useGrid, usePalettes } from '../api/frames'
import { numberOf } from '../api/words'
import { FrameCanvas, Outline } from '../thermal/canvas'
import { drawn, pointsOf, pointsText } from '../thermal/shapes'
import { Button, Failure, Prose, QuietButton, Row, Soft, Subheading } from '../ui/basics'
import { Choice } from '../ui/choice'
import { Dialog } from '../ui/dialog'
import { Fields, Form, Select, Written } from '../ui/form'

const Regions = styled.div`
  display: grid;
  gap: var(--gap-2);
  > div {
    border-bottom: var(--hair);
  }
`
type Shape = Region['shape']
const shapes: Record<Shape, string> = { rectangle: 'Rectangle', ellipse: 'Ellipse', spot: 'Spot', polygon: 'Polygon' }

/** How frames are read and what is looked at in them; regions are drawn, or written. */
export function EyeFields({ device, eye, at }: { device: string; eye: Eye; at: string }) {
  const [open, setOpen] = useState(false)
  const act = useEyeAct(device)
  return (
    <>
      <Subheading>What is looked at</Subheading>
      <Prose>
        {eye.regions?.length ? (
          <>
            {eye.regions.map((r) => r.name).join(', ')}. Emissivity {eye.emissivity}.
          </>
        ) : (
          <>The whole picture. Draw regions: each gives signals of its own, which can be guarded.</>
        )}
      </Prose>
      <Row>
        <QuietButton onPress={() => setOpen(true)}>Regions and emissivity …</QuietButton>
        <QuietButton onPress={() => act.mutate({ ...eye, reference: at })} isDisabled={!at || act.isPending}>
          Compare with this frame from now on
        </QuietButton>
      </Row>
      {act.error && <Failure error={act.error} />}
      <Dialog title="What is looked at" open={open} onClose={() => setOpen(false)} wide>
        <EyeForm device={device} eye={eye} at={at} onClose={() => setOpen(false)} />
      </Dialog>
    </>
  )
}

type Draft = { name: string; shape: Shape; points: string; over: string; emissivity: string }
const draftOf = (r: Region): Draft => ({
  name: r.name,
  shape: r.shape,
  points: pointsText(r.points),
  over: r.over == null ? '' : String(r.over),
  emissivity: r.emissivity ? String(r.emissivity) : '',
})

function regionOf(d: Draft): Region {
  return {
    name: d.name,
    shape: d.shape,
    points: pointsOf(d.points),
    ...(d.over ? { over: numberOf('Over', d.over) } : {}),
    ...(d.emissivity ? { emissivity: numberOf('Emissivity', d.emissivity) } : {}),
  } as Region
}

/** The outlines of what is written so far; what cannot be read yet has none. */
const outlines = (drafts: Draft[]) =>
  drafts.flatMap((d) => {
    try {
      const region = regionOf({ ...d, over: '', emissivity: '' })
      return region.points.length ? [region] : []
    } catch {
      return []
    }
  })

type FormProps = { device: string; eye: Eye; at: string; onClose: () => void }

function EyeForm({ device, eye, at, onClose }: FormProps) {
  const [drafts, setDrafts] = useState(() => (eye.regions ?? []).map(draftOf))
  const [shape, setShape] = useState<Shape>('rectangle')
  const [emissivity, setEmissivity] = useState(String(eye.emissivity))
  const [reflected, setReflected] = useState(String(eye.reflected))
  const [low, setLow] = useState(eye.low == null ? '' : String(eye.low))
  const [high, setHigh] = useState(eye.high == null ? '' : String(eye.high))
  const [corners, setCorners] = useState<{ x: number; y: number }[]>([])
  const [sketch, setSketch] = useState<Region['points']>()
  const grid = useGrid(device, at).data
  const colours = usePalettes().data?.[0]?.colours
  const act = useEyeAct(device)
  const [wrong, setWrong] = useState<Error>()
  const add = (points: Region['points'], of: Shape) => {
    let n = drafts.length + 1
    while (drafts.some((d) => d.name === `region-${n}`)) n++
    setDrafts([...drafts, { name: `region-${n}`, shape: of, points: pointsText(points), over: '', emissivity: '' }])
  }
  const draw = (from: { x: number; y: number }, to: { x: number; y: number }, done: boolean) => {
    if (shape === 'polygon') {
      if (done) setCorners((old) => [...old, drawn('rectangle', to, to)[0]!])
      return
    }
    setSketch(done ? undefined : drawn(shape, from, to))
    if (done) add(drawn(shape, from, to), shape)
  }
  const set = (i: number, some: Partial<Draft>) => setDrafts(drafts.map((d, k) => (k === i ? { ...d, ...some } : d)))
  const save = () => {
    try {
      const own = drafts.map(regionOf)
      const known = new Set(own.map((r) => r.name))
      const kept = (eye.differences ?? []).filter((d) => [d.of, d.less].every((n) => n === 'picture' || known.has(n)))
      setWrong(undefined)
      act.mutate(
        {
          ...eye,
          regions: own,
          differences: kept,
          emissivity: numberOf('Emissivity', emissivity),
          reflected: numberOf('Reflected', reflected),
          low: low ? numberOf('Lowest', low) : null,
          high: high ? numberOf('Highest', high) : null,
        },
        { onSuccess: onClose },
      )
    } catch (e) {
      setWrong(e as Error)
    }
  }
  const failed = wrong ?? act.error
  return (
    <Form
      style={{ maxWidth: 'none' }}
      onSubmit={(e) => {
        e.preventDefault()
        save()
      }}
    >
      <div>
        <Choice label="Shape" options={shapes} value={shape} onChange={setShape} />
        {shape === 'polygon' && (
          <Row>
            <Soft>Press at each corner.</Soft>
            <QuietButton
              isDisabled={corners.length < 3}
              onPress={() => {
                add(corners, 'polygon')
                setCorners([])
              }}
            >
              Close it
            </QuietButton>
          </Row>
        )}
        {grid && colours && (
          <div style={{ maxWidth: 520 }}>
            <FrameCanvas
              grid={grid}
              colours={colours}
              range={extentOf(grid)}
              regions={outlines(drafts)}
              blend={0}
              label="Draw regions over the frame, or write their points below"
              onDraw={draw}
            >
              {sketch && <Outline region={{ shape, points: sketch }} chosen />}
              {corners.length > 0 && <Outline region={{ shape: 'polygon', points: corners }} chosen />}
            </FrameCanvas>
          </div>
        )}
      </div>
      <Regions>
        {drafts.map((d, i) => (
          <Fields key={i} role="group" aria-label={`Region ${d.name}`}>
            <Written label="Name" value={d.name} onChange={(name) => set(i, { name })} />
            <Select label="Shape" value={d.shape} onChange={(s) => set(i, { shape: s as Shape })} options={shapes} />
            <Written
              label="Points"
              value={d.points}
              onChange={(points) => set(i, { points })}
              hint="x,y x,y in pixels"
            />
            {d.shape !== 'spot' && (
              <Written label="Share above (°C)" value={d.over} onChange={(over) => set(i, { over })} />
            )}
            <Written
              label="Emissivity"
              value={d.emissivity}
              onChange={(e) => set(i, { emissivity: e })}
              hint="the picture’s"
            />
            <QuietButton onPress={() => setDrafts(drafts.filter((_, k) => k !== i))}>Take out</QuietButton>
          </Fields>
        ))}
      </Regions>
      <Fields>
        <Written label="Emissivity" value={emissivity} onChange={setEmissivity} hint="1: as the camera tells it" />
        <Written label="Reflected (°C)" value={reflected} onChange={setReflected} hint="temperature around it" />
        <Written label="Camera, lowest (°C)" value={low} onChange={setLow} />
        <Written label="Camera, highest (°C)" value={high} onChange={setHigh} />
      </Fields>
      <Row>
        <Button type="submit" isDisabled={act.isPending}>
          {act.isPending ? 'Looking through the frames …' : 'Keep this'}
        </Button>
        <QuietButton onPress={onClose}>Leave it</QuietButton>
      </Row>
      {failed && <Failure error={failed} />}
    </Form>
  )
}
