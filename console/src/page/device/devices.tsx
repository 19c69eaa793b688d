import { useArrivals, useDevices } from '../../api/device'
import { useNow } from '../../api/live'
import { useSession } from '../../api/site'
import { age, clockWords, lifeWords, say } from '../../api/words'
import {
  Above,
  Columns,
  Heading,
  PlainLink,
  Prose,
  QuietLink,
  Row,
  Scroll,
  Soft,
  Subheading,
  Table,
} from '../../ui/basics'
import { NoPage } from '../../ui/no-page'
import { Silent } from '../../ui/severity'

/** All devices and how they live; who waits to be let in; the way to connect one. */
export function Devices() {
  const now = useNow()
  const devices = useDevices()
  const arrivals = (useArrivals().data ?? []).filter((a) => a.state === 'waiting')
  const owner = useSession().data?.role === 'owner'
  if (devices.error) return <NoPage error={devices.error} />
  if (!devices.data) return <Soft>Looking …</Soft>
  const silent = devices.data.filter((d) => d.life === 'silent').length
  return (
    <>
      <title>Devices · Jaunty Lark</title>
      <Above>{devices.data.length} in all</Above>
      <Heading>{silent ? `${silent} of the devices ${silent === 1 ? 'is' : 'are'} silent.` : 'Devices'}</Heading>
      <Row $above={4}>
        {owner && <QuietLink href="/devices/connect">Connect a device</QuietLink>}
        <QuietLink href="/devices/kits">Kits</QuietLink>
        <QuietLink href="/devices/arrivals">Arrivals</QuietLink>
      </Row>
      {arrivals.length > 0 && (
        <>
          <Subheading>Waiting to be let in</Subheading>
          <ul>
            {arrivals.map((a) => (
              <li key={a.id}>
                <PlainLink href="/devices/arrivals">{a.name}</PlainLink>{' '}
                <Soft>
                  · {a.former ? 'was removed, sends again' : 'nobody knows it'} · {a.readings} readings kept · heard{' '}
                  {age(a.last_at, now)}
                </Soft>
              </li>
            ))}
          </ul>
        </>
      )}
      {devices.data.length === 0 ? (
        <Prose>No devices yet. Connect one: you get its key and ready text for your board.</Prose>
      ) : (
        <Scroll tabIndex={0} role="region" aria-label="Devices" $above={4}>
          <Table>
            <Columns names={['Device', 'State', 'Sends', 'Way in', 'Clock', 'Battery', 'Firmware']} />
            <tbody>
              {devices.data.map((d) => (
                <tr key={d.id} data-device={d.name}>
                  <td>
                    <PlainLink href={`/devices/of/${d.name}`}>{d.title}</PlainLink>
                    {d.behind && <Soft> · behind {d.behind}</Soft>}
                  </td>
                  <td>
                    {d.life === 'silent' || d.life === 'overdue' ? <Silent word={d.life} /> : null}{' '}
                    {d.life === 'silent' || d.life === 'overdue' ? age(d.heard_at, now) : lifeWords(d, now)}
                  </td>
                  <td>
                    {d.per_minute === 0
                      ? '–'
                      : d.per_minute < 1
                        ? `${Math.round(d.per_minute * 60)}/h`
                        : `${Math.round(d.per_minute)}/min`}
                  </td>
                  <td>
                    {d.protocol || '–'} <Soft>{d.address}</Soft>
                  </td>
                  <td>{clockWords(d) || '–'}</td>
                  <td>{d.battery == null ? '–' : say(d.battery, d.battery_unit)}</td>
                  <td>{d.firmware || '–'}</td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
    </>
  )
}
