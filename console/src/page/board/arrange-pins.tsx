import { PickBySight } from '../../ui/picks'
import { useRef, useState } from 'react'
import { mergeProps, useFocusRing, useMove } from 'react-aria'
import { FileTrigger } from 'react-aria-components'
import styled from 'styled-components'
import { addPicture, boardTitle, pictureAt, type Placed, removePicture, useBoards, usePictures } from '../../api/board'
import { type Look, pathOf, type Pin } from '../../api/client'
import { titleOf, useOutputs } from '../../api/output'
import { useAct } from '../../api/queries'
import { useSignals } from '../../api/signal'
import { fullTitle } from '../../api/words'
import { PictureSheet, placeOf } from '../../tile/mimic'
import { PinFace } from '../../tile/pin'
import { Failure, Prose, QuietButton, Row, Small } from '../../ui/basics'
import { Fields, Select, Written } from '../../ui/form'
import { Sure } from '../../ui/sure'

const Shown = styled.span`
  display: block;
  width: 110px;
  font-size: var(--step--1);
  overflow-wrap: anywhere;
  img {
    display: block;
    width: 100%;
    height: 70px;
    object-fit: contain;
    background: var(--surface);
  }
`

/** One of the pictures of the site, or a new one. */
export function PictureChoice({ value, onChange }: { value: number; onChange: (id: number) => void }) {
  const pictures = usePictures().data ?? []
  const add = useAct(addPicture)
  const remove = removePicture
  const take = (files: FileList | null) => files?.[0] && add.mutate(files[0], { onSuccess: (p) => onChange(p.id) })
  const failed = add.error
  return (
    <div>
      <Row>
        <FileTrigger acceptedFileTypes={['image/png', 'image/jpeg', 'image/webp', 'image/svg+xml']} onSelect={take}>
          <QuietButton isDisabled={add.isPending}>{add.isPending ? 'Uploading …' : 'Upload a picture …'}</QuietButton>
        </FileTrigger>
        {value > 0 && (
          <Sure
            name="Remove the chosen picture"
            says="Boards that show it have to let go of it first."
            act={() => remove(value)}
            gone={{ kind: 'picture', name: String(value) }}
            done={() => onChange(0)}
          />
        )}
      </Row>
      <Small>PNG, JPEG, WebP or SVG, up to 12 MB; where it was taken is left out.</Small>
      {failed && <Failure error={failed} />}
      <PickBySight
        label="Pictures"
        items={pictures.map((p) => ({
          value: String(p.id),
          name: p.name,
          shows: (
            <Shown>
              {p.name}
              <img src={pictureAt(p.id)} alt="" />
            </Shown>
          ),
        }))}
        picked={String(value)}
        onChange={(id) => onChange(Number(id))}
      />
    </div>
  )
}

const Stage = styled.div`
  height: min(46vh, 420px);
  border: var(--hair);
  background: var(--surface);
`
const Grip = styled.button<{ $chosen: boolean; $focus: boolean }>`
  position: absolute;
  padding: 0;
  border: 0;
  background: none;
  font: inherit;
  cursor: grab;
  touch-action: none;
  min-width: 24px;
  min-height: 24px;
  outline: ${(p) => (p.$focus || p.$chosen ? '2px solid var(--focus)' : 'none')};
  outline-offset: 2px;
`
const pinKinds = { value: 'Value', lamp: 'Lamp', bar: 'Bar', label: 'Words', board: 'A board' }

type Props = { tile: Placed; onChange: (tile: Placed) => void }

/** What is pinned to a picture, and where: dragged, or moved by arrow keys. */
export function Pins({ tile, onChange }: Props) {
  const pins = tile.pins ?? []
  const [chosen, setChosen] = useState(-1)
  const [other, setOther] = useState(false)
  const signals = useSignals().data ?? []
  const pin = pins[chosen]
  const set = (next: Pin[]) => onChange({ ...tile, pins: next })
  const change = (i: number, some: Partial<Pin>) => set(pins.map((p, j) => (i === j ? { ...p, ...some } : p)))
  const add = () => {
    const first = signals[0]
    set([
      ...pins,
      first
        ? { kind: 'value', x: 0.5, y: 0.5, signal: pathOf(first) }
        : { kind: 'label', x: 0.5, y: 0.5, text: 'Here' },
    ])
    setChosen(pins.length)
  }
  return (
    <section aria-label="Pins">
      {other ? (
        <PictureChoice
          value={tile.picture ?? 0}
          onChange={(picture) => {
            onChange({ ...tile, picture })
            if (picture) setOther(false)
          }}
        />
      ) : (
        <Stage>
          <PictureSheet picture={tile.picture ?? 0} alt="">
            {pins.map((p, i) => (
              <PinGrip
                key={i}
                pin={p}
                index={i}
                chosen={i === chosen}
                onChoose={() => setChosen(i)}
                onMove={(x, y) => change(i, { x, y })}
              />
            ))}
          </PictureSheet>
        </Stage>
      )}
      <Row $above={2}>
        <QuietButton onPress={add}>Add a pin</QuietButton>
        <QuietButton onPress={() => setOther(!other)}>{other ? 'Back to the pins' : 'Change picture …'}</QuietButton>
        {pin && (
          <QuietButton
            onPress={() => {
              set(pins.filter((_, j) => j !== chosen))
              setChosen(-1)
            }}
          >
            Remove pin
          </QuietButton>
        )}
      </Row>
      {pin ? (
        <PinFields pin={pin} onChange={(some) => change(chosen, some)} />
      ) : (
        <Prose>
          {pins.length
            ? 'Choose a pin to change it; drag it, or move it by arrow keys.'
            : 'Nothing is pinned on it yet.'}
        </Prose>
      )}
    </section>
  )
}

type GripProps = {
  pin: Pin
  index: number
  chosen: boolean
  onChoose: () => void
  onMove: (x: number, y: number) => void
}

function PinGrip({ pin, index, chosen, onChoose, onMove }: GripProps) {
  const grip = useRef<HTMLButtonElement>(null)
  const at = useRef({ x: 0, y: 0 })
  const ring = useFocusRing()
  const { moveProps } = useMove({
    onMoveStart: () => {
      at.current = { x: pin.x, y: pin.y }
      onChoose()
    },
    onMove: (e) => {
      const sheet = grip.current?.closest('[data-sheet]')?.getBoundingClientRect()
      if (!sheet) return
      const step = e.pointerType === 'keyboard' ? { x: 0.01, y: 0.01 } : { x: 1 / sheet.width, y: 1 / sheet.height }
      const within = (v: number) => Math.min(1, Math.max(0, v))
      at.current = { x: within(at.current.x + e.deltaX * step.x), y: within(at.current.y + e.deltaY * step.y) }
      onMove(Number(at.current.x.toFixed(4)), Number(at.current.y.toFixed(4)))
    },
  })
  const name = pin.text || pin.signal || pin.output || pin.board || pin.kind
  return (
    <Grip
      ref={grip}
      type="button"
      {...mergeProps(moveProps, ring.focusProps, { onClick: onChoose })}
      $chosen={chosen}
      $focus={ring.isFocusVisible}
      aria-label={`Pin ${index + 1}, ${name}: ${Math.round(pin.x * 100)} % across, ${Math.round(pin.y * 100)} % down. Arrow keys move it.`}
      style={placeOf(pin)}
      data-grip={index}
    >
      <PinFace pin={pin} />
    </Grip>
  )
}

const shapes = {
  '': 'as usual',
  round: 'round',
  square: 'square',
  diamond: 'diamond',
  triangle: 'triangle',
  pill: 'pill',
}
const sizes = { '': 'as usual', small: 'small', medium: 'medium', large: 'large' }

function PinFields({ pin, onChange }: { pin: Pin; onChange: (some: Partial<Pin>) => void }) {
  const signals = useSignals().data ?? []
  const outputs = useOutputs().data?.outputs ?? []
  const boards = useBoards().data ?? []
  const ofSignals = Object.fromEntries([['', 'none'], ...signals.map((s) => [pathOf(s), fullTitle(s)])])
  const shows = pin.output ? 'output' : 'signal'
  return (
    <>
      <Fields>
        <Select
          label="Kind"
          value={pin.kind}
          onChange={(kind) => onChange({ kind: kind as Pin['kind'] })}
          options={pinKinds}
        />
        {pin.kind === 'lamp' && outputs.length > 0 && (
          <Select
            label="Source"
            value={shows}
            onChange={(v) =>
              onChange(
                v === 'output'
                  ? { output: `${outputs[0]!.device}/${outputs[0]!.name}`, signal: undefined }
                  : { output: undefined, signal: signals[0] && pathOf(signals[0]) },
              )
            }
            options={{ signal: 'a signal', output: 'an output' }}
          />
        )}
        {pin.kind === 'lamp' && pin.output ? (
          <Select
            label="Output"
            value={pin.output}
            onChange={(output) => onChange({ output })}
            options={Object.fromEntries(outputs.map((o) => [`${o.device}/${o.name}`, titleOf(o)]))}
          />
        ) : pin.kind === 'board' ? (
          <Select
            label="Board"
            value={pin.board ?? ''}
            onChange={(board) => onChange({ board })}
            options={Object.fromEntries([['', 'which?'], ...boards.map((b) => [b.name, boardTitle(b)])])}
          />
        ) : (
          <Select
            label="Signal"
            value={pin.signal ?? ''}
            onChange={(signal) => onChange({ signal: signal || undefined })}
            options={ofSignals}
          />
        )}
        <Written label="Text" value={pin.text ?? ''} onChange={(text) => onChange({ text })} />
        <Select
          label="Size"
          value={pin.size ?? ''}
          onChange={(size) => onChange({ size: size as Pin['size'] })}
          options={sizes}
        />
        {pin.kind === 'lamp' && (
          <Select
            label="Shape"
            value={pin.shape ?? ''}
            onChange={(shape) => onChange({ shape: shape as Pin['shape'] })}
            options={shapes}
          />
        )}
      </Fields>
      {pin.kind !== 'board' && <Looks pin={pin} onChange={(states) => onChange({ states })} />}
    </>
  )
}

/** How a pin looks in some states. */
function Looks({ pin, onChange }: { pin: Pin; onChange: (looks: Look[]) => void }) {
  const signal = (useSignals().data ?? []).find((s) => pathOf(s) === pin.signal)
  const looks = pin.states ?? []
  const states = ['on', 'off', ...(signal?.bands.map((b) => b.name) ?? []), 'advisory', 'warning', 'critical', 'silent']
  const change = (i: number, some: Partial<Look>) => onChange(looks.map((l, j) => (i === j ? { ...l, ...some } : l)))
  return (
    <section aria-label="States">
      {looks.map((l, i) => (
        <Fields key={i}>
          <Select
            label="State"
            value={l.when}
            onChange={(when) => change(i, { when })}
            options={Object.fromEntries([...new Set([l.when, ...states])].map((s) => [s, s]))}
          />
          <Written label="Text in it" value={l.text ?? ''} onChange={(text) => change(i, { text })} />
          <Select
            label="Size in it"
            value={l.size ?? ''}
            onChange={(size) => change(i, { size: size as Look['size'] })}
            options={sizes}
          />
          {pin.kind === 'lamp' && (
            <Select
              label="Shape in it"
              value={l.shape ?? ''}
              onChange={(shape) => change(i, { shape: shape as Look['shape'] })}
              options={shapes}
            />
          )}
          <QuietButton
            onPress={() => onChange(looks.filter((_, j) => j !== i))}
            aria-label={`Leave out how it looks while ${l.when}`}
          >
            ✕
          </QuietButton>
        </Fields>
      ))}
      <QuietButton
        onPress={() => onChange([...looks, { when: states.find((s) => !looks.some((l) => l.when === s)) ?? 'on' }])}
      >
        Add a look for a state
      </QuietButton>
    </section>
  )
}
