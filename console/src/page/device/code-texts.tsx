import { useState } from 'react'
import { type Text } from '../../api/client'
import { Copyable, Soft } from '../../ui/basics'
import { Choice } from '../../ui/choice'

/** Ready text that connects a device, one of several to pick. */
export function CodeTexts({ texts }: { texts: Text[] }) {
  const [picked, pick] = useState('')
  if (texts.length === 0) return <Soft>Looking …</Soft>
  const text = texts.find((t) => t.for === picked) ?? texts[0]!
  return (
    <>
      <Choice
        label="Client"
        options={Object.fromEntries(texts.map((t) => [t.for, t.title]))}
        value={text.for as string}
        onChange={pick}
      />
      <Copyable key={text.for} text={text.text} label={text.title} />
    </>
  )
}
