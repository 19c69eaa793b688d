import { QueryClientProvider } from '@tanstack/react-query'
import { lazy, Suspense, useCallback, useEffect, useState } from 'react'
import { RouterProvider } from 'react-aria-components'
import { BrowserRouter, Link, Route, Routes, useHref, useNavigate } from 'react-router'
import { StyleSheetManager } from 'styled-components'
import { useStanding } from './api/alarm'
import { api, type Person, Problem } from './api/client'
import { useArrivals } from './api/device'
import { dropDrafts, hasDrafts } from './api/drafts'
import { forget, useKept } from './api/kept'
import { closeLive, openLive, useLive, useNow } from './api/live'
import { useOutputs } from './api/output'
import { queries } from './api/queries'
import { useSession, useSite, useUnits } from './api/site'
import { see } from './api/units'
import { clock, length } from './api/words'
import { SignIn } from './page/people/sign-in'
import { Guide, leftGuide } from './page/site/guide'
import { Pages } from './pages'
import { Button, Failure, Prose, QuietButton, Row, Soft } from './ui/basics'
import { Dialog } from './ui/dialog'
import { CentrePage } from './ui/form'
import { Frame } from './ui/frame'
import { PullToRefresh } from './ui/pull'
import { JustRemoved } from './ui/removed'

const Seek = lazy(() => import('./page/site/seek'))
const Wall = lazy(() => import('./page/board/wall'))
const Waiting = () => <Soft>Looking …</Soft>
const nonce = document.querySelector<HTMLMetaElement>('meta[property=csp-nonce]')?.nonce

export const App = () => (
  <StyleSheetManager nonce={nonce}>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <Links />
      </BrowserRouter>
    </QueryClientProvider>
  </StyleSheetManager>
)

/** Makes React Aria's links the router's. */
function Links() {
  const navigate = useNavigate()
  return (
    <RouterProvider navigate={(to) => void navigate(to)} useHref={useHref}>
      <Door />
    </RouterProvider>
  )
}

/** Lets in those who are signed in. */
function Door() {
  const session = useSession()
  if (session.error instanceof Problem && session.error.status === 401) return <SignIn />
  if (session.data) return <Eyes person={session.data} />
  return <CentrePage>{session.error ? <Failure error={session.error} /> : <Soft>Looking …</Soft>}</CentrePage>
}

/** Knows in which units the person sees values before anything is drawn. */
function Eyes({ person }: { person: Person }) {
  const facts = useUnits()
  const site = useSite()
  const failed = facts.error ?? site.error
  if (!facts.data || !site.data)
    return <CentrePage>{failed ? <Failure error={failed} /> : <Soft>Looking …</Soft>}</CentrePage>
  const units = { ...site.data.units, ...person.units }
  see(facts.data, site.data.units ?? {}, person.units ?? {})
  return (
    <Live key={JSON.stringify(units)}>
      <Routes>
        <Route
          path="/wall"
          element={
            <Suspense fallback={<Waiting />}>
              <Wall />
            </Suspense>
          }
        />
        <Route path="*" element={<House name={person.name || person.email} />} />
      </Routes>
    </Live>
  )
}

/** Keeps what is shown as it is now. */
function Live({ children }: { children: React.ReactNode }) {
  useEffect(() => {
    openLive()
    return closeLive
  }, [])
  return children
}

function House({ name }: { name: string }) {
  const [seeking, setSeeking] = useState(false)
  const [leaving, setLeaving] = useState(false)
  const [drawn, setDrawn] = useState(leftGuide)
  const guideKnown = useCallback(() => setDrawn(true), [])
  const site = useSite().data
  const standing = useStanding().data?.length ?? 0
  const waiting = (useArrivals().data ?? []).filter((a) => a.state === 'waiting').length
  const emergency = useOutputs().data?.emergency
  useEffect(() => {
    const open = (e: KeyboardEvent) => {
      if (!(e.ctrlKey || e.metaKey) || e.key.toLowerCase() !== 'k') return
      e.preventDefault()
      setSeeking(true)
    }
    addEventListener('keydown', open)
    return () => removeEventListener('keydown', open)
  }, [])
  const signOut = async () => {
    await api.DELETE('/api/v1/session')
    forget()
    dropDrafts()
    closeLive()
    queries.clear()
    location.assign('/')
  }
  return (
    <Frame
      places={[
        { to: '/', name: 'Now' },
        { to: '/boards', name: 'Boards' },
        { to: '/alarms', name: 'Alarms', note: standing ? String(standing) : '' },
        { to: '/devices', name: 'Devices', note: waiting ? `+${waiting}` : '' },
        { to: '/assets', name: 'Assets' },
        { to: '/outputs', name: 'Outputs', note: emergency ? 'all safe' : '' },
        { to: '/journal', name: 'Journal' },
        { to: '/rosters', name: 'Rosters' },
        { to: '/set-up', name: 'Set-up' },
      ]}
      broken={<Broken />}
      onSeek={() => setSeeking(true)}
      foot={
        <>
          {site?.name}
          <br />
          <Clock />
          <br />
          <Link to="/units">{name}</Link> ·{' '}
          <button onClick={() => (hasDrafts() ? setLeaving(true) : void signOut())}>sign out</button>
        </>
      }
    >
      <PullToRefresh onRefresh={askAnew} />
      <JustRemoved />
      <Guide onKnown={guideKnown} />
      {drawn ? <Pages /> : <Waiting />}
      <Dialog title="Sign out?" open={leaving} onClose={() => setLeaving(false)}>
        <Prose>Something that you wrote is not saved. It stays on this device until you sign out, and goes then.</Prose>
        <Row>
          <Button onPress={() => void signOut()}>Sign out</Button>
          <QuietButton onPress={() => setLeaving(false)}>Cancel</QuietButton>
        </Row>
      </Dialog>
      {seeking && (
        <Suspense>
          <Seek onClose={() => setSeeking(false)} />
        </Suspense>
      )}
    </Frame>
  )
}

/** Whether it is live, and the site's time. It is drawn anew each second, and nothing else is. */
function Clock() {
  const zone = useSite().data?.zone ?? 'UTC'
  return (
    <>
      {useLive().connected ? 'live' : 'not live'} · {clock(useNow(), zone, seconds)}
    </>
  )
}

/** That what is shown is not live, when it is not. */
function Broken() {
  const zone = useSite().data?.zone ?? 'UTC'
  const live = useLive()
  const kept = useKept()
  const now = useNow()
  return live.lost || kept ? brokenWords(live.heard || kept, now, zone) : null
}

const askAnew = () => queries.invalidateQueries()
const seconds: Intl.DateTimeFormatOptions = { hour: '2-digit', minute: '2-digit', second: '2-digit' }

/** That what is shown is not as it is now, and how old it is. */
function brokenWords(heard: number, now: number, zone: string) {
  if (!heard) return 'Not live: the service does not tell what changes. Trying again.'
  const day: Intl.DateTimeFormatOptions = now - heard > 12 * 3600_000 ? { day: 'numeric', month: 'short' } : {}
  return `Not live: what you see is ${length(now - heard)} old, of ${clock(heard, zone, { ...day, ...seconds })}. Trying again.`
}
