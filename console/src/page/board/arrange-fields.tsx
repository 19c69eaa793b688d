import { PickBySight } from '../../ui/picks'
import { useEffect, useRef } from 'react'
import styled from 'styled-components'
import type { Kind, Placed } from '../../api/board'
import { pathOf, type Series } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { useSignals } from '../../api/signal'
import { useTotals } from '../../api/total'
import { fullTitle } from '../../api/words'
import { OutputPicks } from './arrange-add'
import { asChosen, lengths, withOwn } from './arrange-lengths'
import { Pins } from './arrange-pins'
import { fitting, kinds } from '../../tile/kinds'
import { QuietButton, Soft, Subheading } from '../../ui/basics'
import { Choice } from '../../ui/choice'
import { Dialog } from '../../ui/dialog'
import { Fields, Form, Select, Send, Written } from '../../ui/form'
import { undoKeys, useUndo } from '../../ui/undo'

const Unbroken = styled.span`
  white-space: nowrap;
`
const Narrow = styled.div`
  margin-top: var(--gap-3);
  max-width: 360px;
`

const SeriesRow = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 3fr) minmax(96px, 1.4fr) auto;
  gap: var(--gap-2) var(--gap-3);
  align-items: end;
  padding: 8px 0;
  border-bottom: var(--hair);
  @media (max-width: 600px) {
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  }
`
const Swatch = styled.i<{ $line: number }>`
  display: block;
  width: 20px;
  height: 20px;
  ${(p) => (p.$line ? `background: var(--line-${p.$line});` : 'border: 1px dashed var(--ink-soft);')}
`
const figures = { '': 'all readings', mean: 'the mean of each period', stretch: 'lowest to highest of each period' }
const everies = { '1m': 'minute', '1h': 'hour', '24h': 'day' }

type Props = { tile: Placed; onChange: (tile: Placed) => void; onClose: () => void }

/** What a tile shows, and how. */
export function TileFields({ tile, onChange, onClose }: Props) {
  const [kept, keep, unsaved] = useDraft(`tile ${tile.id} of ${location.pathname}`, tile)
  const steps = useUndo(() => kept)
  useEffect(() => keep(steps.now), [keep, steps.now])
  const t = steps.now
  const set = (some: Partial<Placed>) => steps.set({ ...t, ...some })
  const said = useRef<HTMLParagraphElement>(null)
  const say = (words: string) => {
    if (said.current) said.current.textContent = words
  }
  const charts = ['lines', 'states', 'spread'].includes(t.kind)
  const takesSignals = kinds[t.kind].most > 0
  return (
    <Dialog title={`Edit: ${kinds[t.kind].name}`} open onClose={onClose} wide>
      {/* eslint-disable-next-line jsx-a11y/no-static-element-interactions -- only the keys for undo, wherever the focus is */}
      <div onKeyDown={(e) => undoKeys(e, steps, say)}>
        <Form
          unsaved={{
            ...unsaved,
            discard: () => {
              unsaved.discard()
              steps.set(tile)
            },
          }}
          width="full"
          onSubmit={(e) => {
            e.preventDefault()
            unsaved.done()
            onChange(t)
          }}
        >
          <Fields>
            <Written
              label="Title"
              value={t.title ?? ''}
              onChange={(title) => set({ title })}
              hint="left empty it says what it shows"
            />
            {charts && (
              <Select
                label="Time span"
                value={asChosen(t.range ?? '')}
                onChange={(range) => set({ range })}
                options={withOwn({ '': 'as the board', ...lengths }, asChosen(t.range ?? ''))}
              />
            )}
            {t.kind === 'lines' && <LinesFields tile={t} set={set} />}
            {t.kind === 'spread' && (
              <Select
                label="View"
                value={t.profile ? 'day' : ''}
                onChange={(v) => set({ profile: v === 'day' })}
                options={{ '': 'how often each value came', day: 'how values go over the day' }}
              />
            )}
            {t.kind === 'total' && <TotalFields tile={t} set={set} />}
          </Fields>
          {takesSignals && <SeriesFields tile={t} set={set} />}
          {t.kind === 'switch' && <OutputPicks picked={t.outputs ?? []} onChange={(outputs) => set({ outputs })} />}
          {t.kind === 'note' && (
            <Written label="Text" value={t.text ?? ''} onChange={(text) => set({ text })} rows={10} hint="Markdown" />
          )}
          {t.kind === 'mimic' && <Pins tile={t} onChange={steps.set} />}
          <Send send="Apply" onCancel={onClose}>
            <QuietButton onPress={() => steps.undo?.()} isDisabled={!steps.undo}>
              Undo
            </QuietButton>
            <Soft ref={said} role="status" />
          </Send>
        </Form>
      </div>
    </Dialog>
  )
}

type Part = { tile: Placed; set: (some: Partial<Placed>) => void }

const LinesFields = ({ tile: t, set }: Part) => (
  <>
    <Select
      label="Values"
      value={t.figure === 'raw' ? '' : (t.figure ?? '')}
      onChange={(figure) =>
        set({ figure: figure as Placed['figure'], every: figure ? asChosen(t.every ?? '') || '1h' : undefined })
      }
      options={figures}
    />
    {t.figure && t.figure !== 'raw' && (
      <Select label="Period" value={asChosen(t.every ?? '1h')} onChange={(every) => set({ every })} options={everies} />
    )}
    <Select
      label="Drawn as"
      value={t.filled ? 'area' : ''}
      onChange={(v) => set({ filled: v === 'area' })}
      options={{ '': 'lines', area: 'areas' }}
    />
  </>
)

function TotalFields({ tile: t, set }: Part) {
  const totals = useTotals().data ?? []
  return (
    <>
      <Select
        label="Total"
        value={t.total ?? ''}
        onChange={(total) => set({ total })}
        options={Object.fromEntries(totals.map((v) => [v.name, v.title || v.name]))}
      />
      <Select
        label="Period"
        value={t.by || 'month'}
        onChange={(by) => set({ by: by as Placed['by'] })}
        options={{ day: 'day', week: 'week', month: 'month' }}
      />
    </>
  )
}

function SeriesFields({ tile: t, set }: Part) {
  const all = useSignals().data ?? []
  const series = t.series ?? []
  const signals = series.flatMap((s) => all.find((v) => pathOf(v) === s.signal) ?? [])
  const offered = fitting(signals)
  const change = (i: number, some: Partial<Series>) =>
    set({ series: series.map((s, j) => (i === j ? { ...s, ...some } : s)) })
  const up = (i: number) =>
    set({ series: series.map((s, j) => (j === i - 1 ? series[i]! : j === i ? series[i - 1]! : s)) })
  const rest = all.filter((s) => !series.some((v) => v.signal === pathOf(s)))
  return (
    <section aria-label="Signals">
      {offered.length > 1 && (
        <Choice
          label="Kind of tile"
          options={Object.fromEntries(offered.map((k) => [k, kinds[k].name])) as Record<Kind, string>}
          value={offered.includes(t.kind) ? t.kind : offered[0]!}
          onChange={(kind) => set({ kind })}
        />
      )}
      <Subheading $flush>Signals</Subheading>
      {series.map((s, i) => (
        <SeriesRow key={s.signal}>
          <span>{s.signal}</span>
          <Written label="Title" value={s.title ?? ''} onChange={(title) => change(i, { title })} />
          {t.kind === 'lines' ? (
            <Colours name={`colour ${s.signal}`} value={s.colour ?? 0} onChange={(colour) => change(i, { colour })} />
          ) : (
            <span />
          )}
          <Unbroken>
            {i > 0 && (
              <QuietButton onPress={() => up(i)} aria-label={`${s.signal} further up`}>
                ↑
              </QuietButton>
            )}{' '}
            {series.length > 1 && (
              <QuietButton
                onPress={() => set({ series: series.filter((_, j) => j !== i) })}
                aria-label={`Leave ${s.signal} out`}
              >
                ✕
              </QuietButton>
            )}
          </Unbroken>
        </SeriesRow>
      ))}
      {series.length < kinds[t.kind].most && rest.length > 0 && (
        <Narrow>
          <Select
            label="Add a signal"
            value=""
            onChange={(signal) => signal && set({ series: [...series, { signal }] })}
            options={Object.fromEntries([['', 'which?'], ...rest.map((s) => [pathOf(s), fullTitle(s)])])}
          />
        </Narrow>
      )}
    </section>
  )
}

/** One of the eight colours for lines, or the next that is free. */
function Colours({ name, value, onChange }: { name: string; value: number; onChange: (v: number) => void }) {
  return (
    <PickBySight
      label={name}
      items={[0, 1, 2, 3, 4, 5, 6, 7, 8].map((n) => ({
        value: String(n),
        name: n ? `colour ${n}` : 'the next colour',
        shows: <Swatch $line={n} />,
      }))}
      picked={String(value)}
      onChange={(n) => onChange(Number(n))}
    />
  )
}
