import { api, type Interlock, type Output, take } from '../../api/client'
import { stateWords } from '../../api/output'
import { useAct } from '../../api/queries'
import { Columns, Failure, PlainLink, Prose, QuietButton, Scroll, Table } from '../../ui/basics'
import { Silent } from '../../ui/severity'

/** What drives an output, in words. */
export function driverWords(i: Interlock, o: Output | undefined) {
  const say = (value: string) => (o ? stateWords(o, value) : value)
  const words = () => {
    if (i.alarm) return `alarm ${i.alarm}`
    if (i.hours) return i.hours
    if (i.formula) return i.formula
    if (i.when)
      return [
        `${i.signal} ${i.when}`,
        i.deadband && `deadband ${i.deadband}`,
        i.on_delay && `on-delay ${i.on_delay}`,
        i.off_delay && `off-delay ${i.off_delay}`,
      ]
        .filter(Boolean)
        .join(', ')
    return `${i.signal}: ${(i.bands ?? []).map((b) => `${b.to == null ? 'else' : `below ${b.to}`} ${say(b.set)}`).join(', ')}`
  }
  return `${words()}${i.set ? ` → ${say(i.set)}` : ''}${i.latch ? ', latched' : ''}${i.safety ? ', for safety' : ''}`
}

/** All interlocks with what each asks for; one that waits for a reset can be reset here. */
export function InterlockTable({ locks, outputs, keeper }: { locks: Interlock[]; outputs: Output[]; keeper: boolean }) {
  const reset = useAct((interlock: string) =>
    take(api.POST('/api/v1/interlocks/{interlock}/reset', { params: { path: { interlock } } })),
  )
  const by = new Map(outputs.map((o) => [`${o.device}/${o.name}`, o]))
  if (locks.length === 0) return <Prose>Nothing drives them yet but hands.</Prose>
  return (
    <>
      <Scroll tabIndex={0} role="region" aria-label="Interlocks">
        <Table>
          <Columns names={['Interlock', 'Drives', 'By', 'Now']} />
          <tbody>
            {locks.map((i) => (
              <tr key={i.id}>
                <td>
                  <PlainLink href={`/interlocks/${i.name}`}>
                    <b>{i.name}</b>
                  </PlainLink>
                </td>
                <td>{i.output}</td>
                <td>{driverWords(i, by.get(i.output))}</td>
                <td>
                  {i.blind && <Silent word="cannot see" />}{' '}
                  {i.driving ? `asks for ${say(by.get(i.output), i.asks_for)}` : 'asks for nothing'}
                  {i.waits_for_reset && keeper && (
                    <div>
                      <QuietButton onPress={() => reset.mutate(i.name)}>Reset {i.name}</QuietButton>
                    </div>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      </Scroll>
      {reset.error && <Failure error={reset.error} />}
    </>
  )
}

const say = (o: Output | undefined, value: string) => (o ? stateWords(o, value) : value)
