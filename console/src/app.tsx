import { QueryClientProvider } from '@tanstack/react-query'
import { useEffect } from 'react'
import { RouterProvider } from 'react-aria-components'
import { BrowserRouter, Link, Route, Routes, useHref, useNavigate } from 'react-router'
import { StyleSheetManager } from 'styled-components'
import { api, type Person, Problem } from './api/client'
import { closeLive, openLive, useLive, useNow } from './api/live'
import { useOutputs } from './api/outputs'
import { queries, useArrivals, useSession, useSite, useStanding, useUnits } from './api/queries'
import { see } from './api/units'
import { clock, length } from './api/words'
import { GuardPage } from './page/guard'
import { HealthPage } from './page/health'
import { Journal } from './page/journal'
import { TrialPage, Trials } from './page/trials'
import { AlarmPage } from './page/alarm'
import { Alarms } from './page/alarms'
import { Now } from './page/now'
import { Arrivals } from './page/arrivals'
import { Connect } from './page/connect'
import { History } from './page/history'
import { DevicePage } from './page/device'
import { Devices } from './page/devices'
import { KitPage, Kits } from './page/kits'
import { Compare } from './page/compare'
import { Derive } from './page/derive'
import { Instrument } from './page/instrument'
import { SignalPage } from './page/signal'
import { TotalPage, Totals } from './page/totals'
import { TrustPage } from './page/trust'
import { UnitsPage } from './page/units'
import { InterlockPage } from './page/interlock'
import { NewOutput, OutputPage } from './page/output'
import { Outputs } from './page/outputs'
import { SignIn } from './page/sign-in'
import { ContactPage } from './page/contact'
import { DrillPage } from './page/drill'
import { Notices } from './page/notices'
import { RosterPage } from './page/roster'
import { Rosters } from './page/rosters'
import { StandIns } from './page/stand-ins'
import { StatementPage, Statements } from './page/statements'
import { Words } from './page/words'
import { Failure, Soft } from './ui/basics'
import { CentrePage } from './ui/form'
import { Frame } from './ui/frame'

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
  return <House key={JSON.stringify(units)} name={person.name || person.email} />
}

function House({ name }: { name: string }) {
  useEffect(() => {
    openLive()
    return closeLive
  }, [])
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
        { to: '/alarms', name: 'Alarms', note: standing ? String(standing) : '' },
        { to: '/outputs', name: 'Outputs', note: emergency ? 'all safe' : '' },
        { to: '/journal', name: 'Journal' },
        { to: '/devices', name: 'Devices', note: waiting ? `+${waiting}` : '' },
        { to: '/rosters', name: 'Rosters' },
        { to: '/totals', name: 'Totals' },
        { to: '/history', name: 'History' },
      ]}
      broken={broken}
      foot={
        <>
          {site?.name}
          <br />
          {live.connected ? 'live' : 'not live'} · {clock(now, zone, seconds)}
          <br />
          <Link to="/units">units</Link> · {name} · <button onClick={() => void signOut()}>sign out</button>
        </>
      }
    >
      <Routes>
        <Route path="/" element={<Now />} />
        <Route path="/alarms" element={<Alarms />} />
        <Route path="/alarms/health" element={<HealthPage />} />
        <Route path="/guards/new" element={<GuardPage />} />
        <Route path="/guards/:guard" element={<GuardPage />} />
        <Route path="/trials" element={<Trials />} />
        <Route path="/trials/:id" element={<TrialPage />} />
        <Route path="/journal" element={<Journal />} />
        <Route path="/alarms/:id" element={<AlarmPage />} />
        <Route path="/devices" element={<Devices />} />
        <Route path="/devices/connect" element={<Connect />} />
        <Route path="/devices/arrivals" element={<Arrivals />} />
        <Route path="/devices/kits" element={<Kits />} />
        <Route path="/devices/kits/:kit" element={<KitPage />} />
        <Route path="/devices/of/:device" element={<DevicePage />} />
        <Route path="/outputs" element={<Outputs />} />
        <Route path="/outputs/new" element={<NewOutput />} />
        <Route path="/outputs/:device/:output" element={<OutputPage />} />
        <Route path="/interlocks/:interlock" element={<InterlockPage />} />
        <Route path="/history" element={<History />} />
        <Route path="/totals" element={<Totals />} />
        <Route path="/totals/:total" element={<TotalPage />} />
        <Route path="/rosters" element={<Rosters />} />
        <Route path="/rosters/:roster" element={<RosterPage />} />
        <Route path="/contacts/:contact" element={<ContactPage />} />
        <Route path="/words" element={<Words />} />
        <Route path="/notices" element={<Notices />} />
        <Route path="/drills/:id" element={<DrillPage />} />
        <Route path="/stand-ins" element={<StandIns />} />
        <Route path="/statements" element={<Statements />} />
        <Route path="/statements/:statement" element={<StatementPage />} />
        <Route path="/compare" element={<Compare />} />
        <Route path="/units" element={<UnitsPage />} />
        <Route path="/derive" element={<Derive />} />
        <Route path="/signals/:device/:signal/instrument" element={<Instrument />} />
        <Route path="/signals/:device/:signal/trust" element={<TrustPage />} />
        <Route path="/signals/:device/:signal" element={<SignalPage />} />
        <Route path="*" element={<Failure error={new Error('There is nothing at this address.')} />} />
      </Routes>
    </Frame>
  )
}
