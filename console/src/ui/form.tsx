import { createContext, type ReactNode, useContext, useEffect, useRef } from 'react'
import {
  FieldError,
  Form as AriaForm,
  type FormProps as AriaFormProps,
  Input as AriaInput,
  Label as AriaLabel,
  Text as AriaText,
  TextArea as AriaTextArea,
  TextField,
} from 'react-aria-components'
import styled, { css } from 'styled-components'
import type { FormDraft, Unsaved } from '../api/drafts'
import { useAct } from '../api/queries'
import { type Above, Button, Failure, QuietButton, Row, Soft } from './basics'
import { Found } from './unsaved'

const Typed = styled.div`
  display: contents;
`
const widths = { narrow: '360px', middle: '720px', full: 'none' }
const Sheet = styled(AriaForm)<{ $width: keyof typeof widths }>`
  display: grid;
  gap: var(--gap-4);
  max-width: ${(p) => widths[p.$width]};
`
export const Field = styled(TextField)`
  display: grid;
  gap: var(--gap-1);
`
export const Label = styled(AriaLabel)`
  font-weight: 600;
`
/** How what is typed or chosen looks. */
export const fieldLook = css`
  font: inherit;
  color: inherit;
  background: var(--surface);
  border: 1px solid var(--ink-soft);
  border-radius: var(--radius);
  padding: 8px 10px;
  min-height: 40px;
  &[data-invalid] {
    border-color: var(--critical);
    box-shadow: inset 0 0 0 1px var(--critical);
  }
`
export const Input = styled(AriaInput)`
  ${fieldLook}
`
const Area = styled(AriaTextArea)`
  ${fieldLook}
  resize: vertical;
`
const Room = styled.div`
  font-size: var(--step--1);
  line-height: 1.4;
  min-height: 1.4em;
  color: var(--ink-soft);
  /* What is wrong stands where the hint stood. */
  &:has([slot='errorMessage']) [slot='description'] {
    display: none;
  }
`
const Wrong = styled(FieldError)`
  color: var(--critical);
  font-weight: 600;
`

/** The line below a field: its hint, or what is wrong with it. It keeps the room that it once took, so that nothing moves
 *  while somebody is about to press. */
export function Below({ hint }: { hint?: string }) {
  const room = useRef<HTMLDivElement>(null)
  useEffect(() => {
    const el = room.current!
    const watch = new ResizeObserver(() => {
      if (el.offsetHeight > (parseFloat(el.style.minHeight) || 0)) el.style.minHeight = `${el.offsetHeight}px`
    })
    watch.observe(el)
    return () => watch.disconnect()
  }, [])
  return (
    <Room ref={room}>
      {hint && <AriaText slot="description">{hint}</AriaText>}
      <Wrong>
        {({ validationDetails, validationErrors }) =>
          validationDetails.valueMissing ? 'This is needed.' : validationErrors.join(' ')
        }
      </Wrong>
    </Room>
  )
}

type Way = { reads: boolean; draft?: FormDraft; save?: Save; unsaved?: Unsaved }
/** Of the form around: whether its fields are read as text, what was typed into them before, and what sends it. */
const FormWay = createContext<Way>({ reads: false })
export const useFormWay = () => useContext(FormWay)

type FormProps = AriaFormProps & {
  may?: boolean // whether the person may send it; who may not reads the same as text
  draft?: FormDraft // keeps what is typed into fields that have a name
  unsaved?: Unsaved // what is kept by the page itself
  save?: Save // what sending it does
  width?: keyof typeof widths
  children: ReactNode
}

type Said = Record<string, string>
/** What sending a form does, and what became of it. */
export type Save = {
  mutate: (fields: Said) => void
  isPending: boolean
  isSuccess: boolean
  error: Error | null
}

/** What sending a form does: an act that takes its named fields. Once it is carried out, what was kept of the form as not saved
 *  goes, and then follows `then`: both though the page went meanwhile. */
export const useSave = <Out,>(
  act: (fields: Said) => Promise<Out>,
  unsaved?: Pick<Unsaved, 'done'>,
  then?: (out: Out) => void,
) =>
  useAct(async (fields: Said) => {
    const out = await act(fields)
    unsaved?.done()
    then?.(out)
    return out
  })

/** Fields that are sent together. */
export function Form({
  may = true,
  draft,
  unsaved = draft?.unsaved,
  save,
  width = 'narrow',
  children,
  ...form
}: FormProps) {
  const way = { reads: !may, draft, save, unsaved }
  if (!may)
    return (
      <FormWay value={way}>
        <Sheet as="div" $width={width}>
          {children}
        </Sheet>
      </FormWay>
    )
  return (
    <FormWay value={way}>
      <Sheet
        $width={width}
        onSubmit={
          save &&
          ((e) => {
            e.preventDefault()
            save.mutate(fieldsOf(e.currentTarget, (e.nativeEvent as SubmitEvent).submitter))
          })
        }
        {...form}
      >
        <Found unsaved={unsaved} />
        {draft ? (
          <Typed
            role="presentation"
            onInput={(e) => draft.take(e.currentTarget.closest('form')!)}
            onFocus={(e) => draft.begin(e.currentTarget.closest('form')!)}
          >
            {children}
          </Typed>
        ) : (
          children
        )}
      </Sheet>
    </FormWay>
  )
}

/** Fields outside of a form, for who may change them or only reads them. */
export const May = ({ may, children }: { may: boolean; children: ReactNode }) => (
  <FormWay value={{ reads: !may }}>{children}</FormWay>
)

type SendProps = {
  send: string // what sending the form does
  label?: string // says it where that alone does not tell of what
  sent?: string // said once it is done, where the form stays
  off?: boolean // there is too little to send yet
  quiet?: boolean
  says?: (error: Error) => ReactNode // tells of a failure in another way
  onCancel?: () => void
  children?: ReactNode
}

/** Room around a foot that stands in the text of a page. */
export const Foot = styled.div`
  margin: var(--gap-4) 0;
`

/** The foot of a form: what sends it, what became of that, and what leaves it without. */
export function Send({ send, label, sent, off, quiet, says, onCancel, children }: SendProps) {
  const { reads, save, unsaved } = useFormWay()
  if (reads) return null
  const As = quiet ? QuietButton : Button
  return (
    <>
      <Row>
        <As type="submit" isDisabled={save?.isPending || off} aria-label={label}>
          {send}
        </As>
        {onCancel && (
          <QuietButton
            onPress={() => {
              unsaved?.discard()
              onCancel()
            }}
          >
            Cancel
          </QuietButton>
        )}
        {sent && save?.isSuccess && <Soft role="status">{sent}</Soft>}
        {children}
      </Row>
      {save?.error && (says?.(save.error) ?? <Failure error={save.error} />)}
    </>
  )
}

const ReadOnly = styled.div`
  display: grid;
  gap: 2px;
  > :last-child {
    white-space: pre-line;
    overflow-wrap: anywhere;
  }
`
/** A field as text. */
export const Read = ({ label, value }: { label: string; value: string }) => (
  <ReadOnly data-read={label}>
    <b>{label}</b>
    <span>{value || '–'}</span>
  </ReadOnly>
)

type Props = {
  label: string
  name: string
  type?: string
  autoComplete?: string
  hint?: string
  optional?: boolean
  defaultValue?: string
  rows?: number // for text of several lines
}

/** Text that is sent with its form. */
export function TextInput({ label, hint, optional, rows, defaultValue, ...field }: Props) {
  const { reads, draft } = useFormWay()
  if (reads) return <Read label={label} value={defaultValue ?? ''} />
  const begins = draft?.values[field.name] ?? defaultValue
  return (
    <Field key={draft?.round} {...field} defaultValue={begins} isRequired={!optional}>
      <Label>{label}</Label>
      {rows ? <Area rows={rows} /> : <Input />}
      {(!optional || hint || field.type) && <Below hint={hint} />}
    </Field>
  )
}

const Picker = styled.label`
  display: grid;
  gap: var(--gap-1);
  font-weight: 600;
  select {
    ${fieldLook}
    font-weight: 400;
  }
`
type PickProps = {
  label: string
  name: string
  none: string
  options: { value: string; text: string }[]
  defaultValue?: string
}

/** One of a list, or none; sent with its form. */
export function Pick({ label, name, none, options, defaultValue }: PickProps) {
  const { reads, draft } = useFormWay()
  if (reads) return <Read label={label} value={options.find((o) => o.value === defaultValue)?.text ?? none} />
  return (
    <Picker>
      {label}
      <select key={draft?.round} name={name} defaultValue={draft?.values[name] ?? defaultValue}>
        <option value="">{none}</option>
        {options.map((o) => (
          <option key={o.value} value={o.value}>
            {o.text}
          </option>
        ))}
      </select>
    </Picker>
  )
}

/** What a form's fields say, those that are not empty, and the button by which it was sent, where that has a name. */
export const fieldsOf = (form: HTMLFormElement, sender: HTMLElement | null = null) =>
  Object.fromEntries([...new FormData(form, sender)].filter(([, v]) => v !== '').map(([k, v]) => [k, String(v).trim()]))

const Centre = styled.div`
  min-height: 100vh;
  display: grid;
  place-content: center;
  padding: var(--gap-4);
  gap: var(--gap-4);
`
export const CentrePage = ({ children }: { children: React.ReactNode }) => <Centre as="main">{children}</Centre>

/** Fields beside each other, below each other where there is no room. */
export const Fields = styled.div<Above & { $tight?: boolean }>`
  display: flex;
  flex-wrap: wrap;
  gap: var(--gap-4);
  align-items: start;
  ${(p) => p.$above && `margin-top: var(--gap-${p.$above});`}
  margin-bottom: ${(p) => (p.$tight ? 'var(--gap-2)' : 'var(--gap-4)')};
  /* The gap of a form parts what is in it. */
  ${Sheet} > &,
  ${Typed} > & {
    margin-bottom: 0;
  }
  /* Beside the field itself, not beside its label. */
  > button,
  > span {
    margin-top: calc(1.5em + var(--gap-1) + 2px);
  }
  > span {
    line-height: 40px;
  }
`
type SelectProps = {
  label: string
  value: string
  onChange: (value: string) => void
  options: Record<string, string> // what they read, by value
  name?: string // says it, where no label stands
}

/** One of a list, in the order of its options' words where these are numbers. */
export function Select({ label, value, onChange, options, name }: SelectProps) {
  const { reads } = useFormWay()
  if (reads) return <Read label={label || (name ?? '')} value={options[value] ?? value} />
  return (
    <Picker>
      {label}
      <select value={value} aria-label={name} onChange={(e) => onChange(e.target.value)}>
        {Object.entries(options).map(([v, text]) => (
          <option key={v} value={v}>
            {text}
          </option>
        ))}
      </select>
    </Picker>
  )
}

type WrittenProps = {
  label: string
  value: string
  onChange: (value: string) => void
  hint?: string
  type?: string
  rows?: number
  placeholder?: string
  wrong?: string // what is wrong with it
}

/** Text that is kept by its page as it is written. */
export function Written({ label, value, onChange, hint, type, rows, placeholder, wrong }: WrittenProps) {
  const { reads } = useFormWay()
  if (reads) return <Read label={label} value={type === 'password' ? '' : value} />
  return (
    <Field value={value} onChange={onChange} type={type} autoComplete="off" validate={() => wrong}>
      <Label>{label}</Label>
      {rows ? <Area rows={rows} placeholder={placeholder} /> : <Input placeholder={placeholder} />}
      {(hint || wrong) && <Below hint={hint} />}
    </Field>
  )
}
