// The day of a program that works against the API by types that openapi-typescript has made from its description: a
// device, its readings, a guard, an alarm, its acknowledgement, the feed and an export.
import createClient from 'openapi-fetch'
import type { components, paths } from './schema.gen.js'

declare const process: { argv: string[] }
declare const setTimeout: (then: () => void, ms: number) => void
type Guard = components['schemas']['Guard']

const [, , address = '', email = '', password = ''] = process.argv
const rest = (ms: number) => new Promise<void>((then) => setTimeout(then, ms))

function check<T>(value: T | null | undefined | false, what: string, of?: unknown): T {
  if (value === undefined || value === null || value === false) throw new Error(`${what}: ${JSON.stringify(of)}`)
  return value
}

async function day() {
  const nobody = createClient<paths>({ baseUrl: address })
  const token = await nobody.POST('/api/v1/tokens', { body: { email, password } })
  const as = (key: string) => createClient<paths>({ baseUrl: address, headers: { Authorization: `Bearer ${key}` } })
  const me = as(check(token.data, 'token', token.error).token)

  const begin = await me.GET('/api/v1/changes', { params: { query: { cursor: 'now' } } })
  let cursor = check(begin.data, 'feed', begin.error).next

  const outputs = await me.GET('/api/v1/outputs')
  check(check(outputs.data, 'outputs').emergency === null, 'no emergency is read as one', outputs.data)

  const header = { 'Idempotency-Key': 'day-2' }
  const add = () => me.POST('/api/v1/devices', { params: { header }, body: { name: 'crate', title: 'Crate' } })
  const [added, again] = [await add(), await add()]
  const key = check(added.data, 'device', added.error).key
  check(again.data?.key === key, 'sent again with its key', again)
  const device = as(key)

  let sent = 0
  const send = async (value: number) => {
    const at = new Date().toISOString()
    const { response, error } = await device.POST('/api/v1/intake', {
      body: { at, temp: value },
      bodySerializer: JSON.stringify,
      headers: { 'Content-Type': 'application/json' },
    })
    check(response.status === 204, 'readings', error)
    sent++
    await rest(5)
  }
  await send(20)

  const order = { name: 'warm', signal: 'crate/temp', when: 'above 30', severity: 'warning' as const, on_delay: 'PT0S' }
  const guard = await me.POST('/api/v1/guards', { body: order })
  check(guard.data, 'guard', guard.error)
  const shown = await me.GET('/api/v1/guards/{guard}', { params: { path: { guard: 'warm' } } })
  const is: Guard = check(shown.data, 'guard', shown.error)
  check((is.on_delay ?? 0) === 0 && is.severity === 'warning', 'as it is', is)
  const path = { guard: 'warm' }
  const tag = { 'If-Match': check(shown.response.headers.get('ETag'), 'tag') }
  const patch = () =>
    me.PATCH('/api/v1/guards/{guard}', {
      params: { path, header: tag },
      body: { advice: 'Open the vent.', on_delay: 0 },
      headers: { 'Content-Type': 'application/merge-patch+json' },
    })
  check((await patch()).data, 'patch')
  const stale = await patch()
  check(stale.response.status === 412 && stale.error?.type === '/problems/changed', 'an old tag', stale.error)

  for (const v of [35, 36, 20]) await send(v)
  const alarms = await me.GET('/api/v1/alarms', { params: { query: { all: true, guard: 'warm', limit: 5 } } })
  const alarm = check(alarms.data?.[0], 'alarms', alarms.error)
  check(alarm.cleared_at !== null && alarm.advice === 'Open the vent.', 'alarm', alarm)
  const taken = await me.POST('/api/v1/alarms/{id}/acknowledge', {
    params: { path: { id: alarm.id } },
    body: { comment: 'aired' },
  })
  check(taken.data?.acknowledged_at, 'acknowledged', taken.error)

  const told: Record<string, number> = {}
  for (let more = true; more; ) {
    const page = check((await me.GET('/api/v1/changes', { params: { query: { cursor } } })).data, 'feed')
    for (const change of page.changes)
      if (change.kind === 'readings') told.readings = (told.readings ?? 0) + (change.readings?.length ?? 0)
      else if (change.entry) told[change.entry.kind] = (told[change.entry.kind] ?? 0) + 1
    cursor = page.next
    more = page.more
  }
  check((told.readings ?? 0) >= sent, 'readings told', told)
  for (const kind of ['device added', 'guard added', 'guard changed', 'alarm raised', 'alarm over', 'alarm acknowledged'])
    check(told[kind] === 1, kind, told)

  const file = await me.GET('/api/v1/export', { params: { query: { what: ['crate'] } }, parseAs: 'text' })
  check(check(file.data, 'export').trim().split('\n').length === 1 + sent, 'lines of the export', file.data)
}

await day()
console.log('done')
