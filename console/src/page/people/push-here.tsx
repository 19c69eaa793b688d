import { useAct } from '../../api/queries'
import { useEffect, useState } from 'react'
import { api, take } from '../../api/client'
import { Failure, Prose, QuietButton, Row, Soft, Subheading } from '../../ui/basics'

type State = 'looking' | 'cannot' | 'off' | 'on'

/** The browser's subscription; nothing where push cannot be. */
async function subscription() {
  if (!('serviceWorker' in navigator) || !('PushManager' in window)) return undefined
  const worker = await navigator.serviceWorker.register('/worker.js')
  return { worker, now: await worker.pushManager.getSubscription() }
}

const bytesOf = (base64url: string) =>
  Uint8Array.from(atob(base64url.replace(/-/g, '+').replace(/_/g, '/')), (c) => c.charCodeAt(0))

async function switchOn() {
  const here = await subscription()
  if (!here) throw new Error('This browser has no push.')
  if ((await Notification.requestPermission()) !== 'granted')
    throw new Error('The browser does not let us show messages; allow it in its settings for this site.')
  const { key } = await take(api.GET('/api/v1/push-key'))
  const made = await here.worker.pushManager.subscribe({ userVisibleOnly: true, applicationServerKey: bytesOf(key) })
  const { endpoint = '', keys } = made.toJSON()
  await take(
    api.POST('/api/v1/session/push', {
      body: { endpoint, keys: { p256dh: keys?.p256dh ?? '', auth: keys?.auth ?? '' } },
    }),
  )
}

async function switchOff() {
  const here = await subscription()
  if (!here?.now) return
  await take(api.DELETE('/api/v1/session/push', { body: { endpoint: here.now.endpoint } }))
  await here.now.unsubscribe()
}

/** Lets the browser that shows this page be told. */
export function PushHere() {
  const [state, setState] = useState<State>('looking')
  const look = () =>
    void subscription().then(
      (here) => setState(here ? (here.now ? 'on' : 'off') : 'cannot'),
      () => setState('cannot'),
    )
  useEffect(look, [])
  const act = useAct(() => (state === 'on' ? switchOff() : switchOn()))
  return (
    <>
      <Subheading>This device</Subheading>
      {state === 'cannot' ? (
        <Prose>This browser cannot be pushed to here; that takes an address that begins with https.</Prose>
      ) : (
        <Row>
          <QuietButton
            isDisabled={state === 'looking' || act.isPending}
            onPress={() => act.mutate(undefined, { onSettled: look })}
          >
            {state === 'on' ? 'Push no more to this device' : 'Push to this device'}
          </QuietButton>
          <Soft>
            {state === 'on'
              ? 'Your contact has it as an address.'
              : 'It becomes an address of your own contact; rosters can call on it.'}
          </Soft>
        </Row>
      )}
      {act.error && <Failure error={act.error} />}
    </>
  )
}
