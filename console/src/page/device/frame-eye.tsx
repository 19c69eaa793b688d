import { useAct } from '../../api/queries'
import { useState } from 'react'
import styled from 'styled-components'
import type { Eye, Region } from '../../api/client'
import { compareWith, extentOf, lookAtEye, putEye, useGrid, usePalettes } from '../../api/frames'
import { useDraft } from '../../api/drafts'
import { FrameCanvas, Outline } from '../../thermal/canvas'
import { drawn, pointsOf, pointsText } from '../../thermal/shapes'
import { Failure, Prose, QuietButton, Row, Soft, Subheading } from '../../ui/basics'
import { Changing, type SaveUnder } from '../../ui/changing'
import { Choice } from '../../ui/choice'
import { Dialog } from '../../ui/dialog'
import { Fields, Form, Select, Send, useSave, Written } from '../../ui/form'
import { NumberField } from '../../ui/number'

const Canvas = styled.div`
  max-width: 520px;
`

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
  const act = useAct(() => compareWith(device, at))
  return (
    <>
      <Subheading>Regions and emissivity</Subheading>
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
        <QuietButton onPress={() => act.mutate()} isDisabled={!at || act.isPending}>
          Compare with this frame from now on
        </QuietButton>
      </Row>
      {act.error && <Failure error={act.error} />}
      <Dialog title="Regions and emissivity" open={open} onClose={() => setOpen(false)} wide>
        <Changing of={`eye ${device}`} look={() => lookAtEye(device)}>
          {(begun, save) => (
            <EyeForm device={device} eye={begun} at={at} saveUnder={save} onClose={() => setOpen(false)} />
          )}
        </Changing>
      </Dialog>
    </>
  )
}

type RegionDraft = { name: string; shape: Shape; points: string; over?: number; emissivity?: number }
type Draft = { regions: RegionDraft[]; emissivity?: number; reflected?: number; low?: number; high?: number }
const regionDraft = (r: Region): RegionDraft => ({
  name: r.name,
  shape: r.shape,
  points: pointsText(r.points),
  over: r.over ?? undefined,
  emissivity: r.emissivity || undefined,
})
const draftOf = (eye: Eye): Draft => ({
  regions: (eye.regions ?? []).map(regionDraft),
  emissivity: eye.emissivity,
  reflected: eye.reflected,
  low: eye.low ?? undefined,
  high: eye.high ?? undefined,
})

function regionOf(d: RegionDraft): Region {
  return {
    name: d.name,
    shape: d.shape,
    points: pointsOf(d.points),
    ...(d.over == null ? {} : { over: d.over }),
    ...(d.emissivity ? { emissivity: d.emissivity } : {}),
  } as Region
}

/** The outlines of what is written so far; what cannot be read yet has none. */
const outlines = (drafts: RegionDraft[]) =>
  drafts.flatMap((d) => {
    try {
      const region = regionOf(d)
      return region.points.length ? [region] : []
    } catch {
      return []
    }
  })

type FormProps = { device: string; eye: Eye; at: string; saveUnder: SaveUnder; onClose: () => void }

function EyeForm({ device, eye, at, saveUnder, onClose }: FormProps) {
  const [draft, setDraft, unsaved] = useDraft(`eye ${device}`, () => draftOf(eye))
  const drafts = draft.regions
  const put = (change: Partial<Draft>) => setDraft((old) => ({ ...old, ...change }))
  const setDrafts = (regions: RegionDraft[]) => put({ regions })
  const [shape, setShape] = useState<Shape>('rectangle')
  const [corners, setCorners] = useState<{ x: number; y: number }[]>([])
  const [sketch, setSketch] = useState<Region['points']>()
  const grid = useGrid(device, at).data
  const colours = usePalettes().data?.[0]?.colours
  const add = (points: Region['points'], of: Shape) => {
    let n = drafts.length + 1
    while (drafts.some((d) => d.name === `region-${n}`)) n++
    setDrafts([...drafts, { name: `region-${n}`, shape: of, points: pointsText(points) }])
  }
  const draw = (from: { x: number; y: number }, to: { x: number; y: number }, done: boolean) => {
    if (shape === 'polygon') {
      if (done) setCorners((old) => [...old, drawn('rectangle', to, to)[0]!])
      return
    }
    setSketch(done ? undefined : drawn(shape, from, to))
    if (done) add(drawn(shape, from, to), shape)
  }
  const set = (i: number, some: Partial<RegionDraft>) =>
    setDrafts(drafts.map((d, k) => (k === i ? { ...d, ...some } : d)))
  const save = useSave(
    async () => {
      const own = drafts.map(regionOf)
      const known = new Set(own.map((r) => r.name))
      const kept = (eye.differences ?? []).filter((d) => [d.of, d.less].every((n) => n === 'picture' || known.has(n)))
      const next = {
        ...eye,
        regions: own,
        differences: kept,
        emissivity: draft.emissivity ?? 1,
        reflected: draft.reflected ?? 0,
        low: draft.low ?? null,
        high: draft.high ?? null,
      }
      return saveUnder((header) => putEye(device, next, header))
    },
    unsaved,
    onClose,
  )
  return (
    <Form unsaved={unsaved} width="full" save={save}>
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
              Close the shape
            </QuietButton>
          </Row>
        )}
        {grid && colours && (
          <Canvas>
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
          </Canvas>
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
              <NumberField
                label="Share above"
                unit="°C"
                optional
                value={d.over}
                onChange={(over) => set(i, { over })}
              />
            )}
            <NumberField
              label="Emissivity"
              step={0.01}
              least={0}
              most={1}
              optional
              value={d.emissivity}
              onChange={(emissivity) => set(i, { emissivity })}
              hint="the picture’s when empty"
            />
            <QuietButton onPress={() => setDrafts(drafts.filter((_, k) => k !== i))}>Remove</QuietButton>
          </Fields>
        ))}
      </Regions>
      <Fields>
        <NumberField
          label="Emissivity"
          step={0.01}
          least={0}
          most={1}
          value={draft.emissivity}
          onChange={(emissivity) => put({ emissivity })}
          hint="1: as the camera tells it"
        />
        <NumberField
          label="Reflected"
          unit="°C"
          value={draft.reflected}
          onChange={(reflected) => put({ reflected })}
          hint="temperature around it"
        />
        <NumberField label="Camera, lowest" unit="°C" optional value={draft.low} onChange={(low) => put({ low })} />
        <NumberField label="Camera, highest" unit="°C" optional value={draft.high} onChange={(high) => put({ high })} />
      </Fields>
      <Send send={save.isPending ? 'Looking through the frames …' : 'Save'} onCancel={onClose} />
    </Form>
  )
}
