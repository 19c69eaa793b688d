import { QueryClientProvider } from '@tanstack/react-query'
import { lazy, Suspense, useEffect } from 'react'
import { RouterProvider } from 'react-aria-components'
import { BrowserRouter, Link, Route, Routes, useHref, useNavigate } from 'react-router'
import { StyleSheetManager } from 'styled-components'
import { api, type Person, Problem } from './api/client'
import { closeLive, openLive, useLive, useNow } from './api/live'
import { useOutputs } from './api/outputs'
import { queries, useArrivals, useSession, useSite, useStanding, useUnits } from './api/queries'
import { see } from './api/units'
import { clock, length } from './api/words'
import { Failure, Soft } from './ui/basics'
import { CentrePage } from './ui/form'
import { Frame } from './ui/frame'
import { Pages } from './pages'
import { SignIn } from './page/sign-in'

const Wall = lazy(() => import('./page/wall'))
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
  const live = useLive()
  const now = useNow()
  const site = useSite().data
  const standing = useStanding().data?.length ?? 0
  const waiting = (useArrivals().data ?? []).filter((a) => a.state === 'waiting').length
  const emergency = useOutputs().data?.emergency
  const zone = site?.zone ?? 'UTC'
  const seconds: Intl.DateTimeFormatOptions = { hour: '2-digit', minute: '2-digit', second: '2-digit' }
  const last = live.heard
    ? `the service was last heard at ${clock(live.heard, zone, seconds)}, ${length(now - live.heard)} ago`
    : 'the service does not tell what changes'
  const broken = live.lost ? `Not live: ${last}. Trying again.` : undefined
  const signOut = async () => {
    await api.DELETE('/api/v1/session')
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
        { to: '/outputs', name: 'Outputs', note: emergency ? 'all safe' : '' },
        { to: '/journal', name: 'Journal' },
        { to: '/devices', name: 'Devices', note: waiting ? `+${waiting}` : '' },
        { to: '/rosters', name: 'Rosters' },
        { to: '/set-up', name: 'Set-up' },
      ]}
      broken={broken}
      foot={
        <>
          {site?.name}
          <br />
          {live.connected ? 'live' : 'not live'} · {clock(now, zone, seconds)}
          <br />
          <Link to="/units">{name}</Link> · <button onClick={() => void signOut()}>sign out</button>
        </>
      }
    >
      <Pages />
    </Frame>
  )
}
