import { api, type DeviceStory, take } from '../../api/client'
import { useNow } from '../../api/live'
import { useAct } from '../../api/queries'
import { useSite } from '../../api/site'
import { age, clock } from '../../api/words'
import { Code, Columns, Failure, Prose, QuietButton, Scroll, Soft, Subheading, Table } from '../../ui/basics'
import { Sure } from '../../ui/sure'

/** A device's keys: when and from where they were used, a new one, an end at once. */
export function Keys({ device: d, owner }: { device: DeviceStory; owner: boolean }) {
  const now = useNow()
  const zone = useSite().data?.zone ?? 'UTC'
  const rotate = useAct(() =>
    take(api.POST('/api/v1/devices/{device}/keys', { params: { path: { device: d.name } }, body: {} })),
  )
  const revoke = (key: number) =>
    take(api.DELETE('/api/v1/devices/{device}/keys/{key}', { params: { path: { device: d.name, key } } }))
  const problem = rotate.error
  const day: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }
  return (
    <>
      <Subheading>Keys</Subheading>
      {d.enrolled && <Prose>It sends with the enrolment key. Give it one of its own.</Prose>}
      {d.keys.length > 0 && (
        <Scroll tabIndex={0} role="region" aria-label="Keys">
          <Table>
            <Columns names={['DTLS identity', 'Added', 'Last used', 'Ends', ...(owner ? ['Revoke'] : [])]} />
            <tbody>
              {d.keys.map((k) => (
                <tr key={k.id}>
                  <td>{k.identity}</td>
                  <td>{clock(k.created_at, zone, day)}</td>
                  <td>
                    {age(k.last_used_at, now)}{' '}
                    <Soft>{k.last_used_by && `over ${k.last_used_by} from ${k.last_used_from}`}</Soft>
                  </td>
                  <td>
                    {k.expires_at ? clock(k.expires_at, zone, day) : k.until_used ? 'when the new one is used' : '–'}
                  </td>
                  {owner && (
                    <td>
                      <Sure
                        name={`Revoke ${k.identity}`}
                        short="Revoke"
                        says="What sends with it is refused at once. It cannot be undone: make a new key instead."
                        act={() => revoke(k.id)}
                      />
                    </td>
                  )}
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
      {rotate.data && (
        <>
          <Prose>
            The new key, told once. Its DTLS identity is {rotate.data.identity}. The old one ends when the new one is
            first used.
          </Prose>
          <Code data-key>{rotate.data.key}</Code>
        </>
      )}
      {owner && (
        <p>
          <QuietButton onPress={() => rotate.mutate(undefined)}>Make a new key</QuietButton>
        </p>
      )}
      {problem && <Failure error={problem} />}
    </>
  )
}
