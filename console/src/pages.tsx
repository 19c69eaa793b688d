import { type ComponentType, lazy, Suspense } from 'react'
import { Navigate, Route, Routes, useLocation } from 'react-router'
import { useSession } from './api/site'
import { AlarmPage } from './page/alarm/alarm'
import { Alarms } from './page/alarm/alarms'
import { Now } from './page/site/now'
import { Soft } from './ui/basics'
import { NoPage } from './ui/no-page'

/** A page whose code is loaded when it is first opened. */
const later = <N extends string>(load: () => Promise<Record<N, ComponentType>>, name: N) =>
  lazy(() => load().then((all) => ({ default: all[name] })))

const HealthPage = later(() => import('./page/guard/health'), 'HealthPage')
const GuardPage = later(() => import('./page/guard/guard'), 'GuardPage')
const Trials = later(() => import('./page/guard/trials'), 'Trials')
const TrialPage = later(() => import('./page/guard/trials'), 'TrialPage')
const Journal = later(() => import('./page/history/journal'), 'Journal')
const Devices = later(() => import('./page/device/devices'), 'Devices')
const Connect = later(() => import('./page/device/connect'), 'Connect')
const Arrivals = later(() => import('./page/device/arrivals'), 'Arrivals')
const Kits = later(() => import('./page/device/kits'), 'Kits')
const KitPage = later(() => import('./page/device/kits'), 'KitPage')
const DevicePage = later(() => import('./page/device/device'), 'DevicePage')
const Outputs = later(() => import('./page/output/outputs'), 'Outputs')
const NewOutput = later(() => import('./page/output/output'), 'NewOutput')
const OutputPage = later(() => import('./page/output/output'), 'OutputPage')
const InterlockPage = later(() => import('./page/output/interlock'), 'InterlockPage')
const History = later(() => import('./page/history/history'), 'History')
const Totals = later(() => import('./page/total/totals'), 'Totals')
const TotalPage = later(() => import('./page/total/totals'), 'TotalPage')
const Rosters = later(() => import('./page/people/rosters'), 'Rosters')
const RosterPage = later(() => import('./page/people/roster'), 'RosterPage')
const ContactPage = later(() => import('./page/people/contact'), 'ContactPage')
const Words = later(() => import('./page/site/words'), 'Words')
const Notices = later(() => import('./page/alarm/notices'), 'Notices')
const DrillPage = later(() => import('./page/alarm/drill'), 'DrillPage')
const StandIns = later(() => import('./page/device/stand-ins'), 'StandIns')
const Statements = later(() => import('./page/total/statements'), 'Statements')
const StatementPage = later(() => import('./page/total/statements'), 'StatementPage')
const Compare = later(() => import('./page/signal/compare'), 'Compare')
const UnitsPage = later(() => import('./page/site/units'), 'UnitsPage')
const Derive = later(() => import('./page/signal/derive'), 'Derive')
const Instrument = later(() => import('./page/signal/instrument'), 'Instrument')
const TrustPage = later(() => import('./page/signal/trust'), 'TrustPage')
const SignalPage = later(() => import('./page/signal/signal'), 'SignalPage')
const Readers = later(() => import('./page/site/readers'), 'Readers')
const SetUp = later(() => import('./page/site/set-up'), 'SetUp')
const People = later(() => import('./page/people/people'), 'People')
const Removed = later(() => import('./page/history/removed'), 'Removed')
const Tariffs = later(() => import('./page/total/tariffs'), 'Tariffs')
const Assets = later(() => import('./page/asset/assets'), 'Assets')
const AssetPage = later(() => import('./page/asset/asset'), 'AssetPage')
const AssetGuardPage = later(() => import('./page/asset/guard'), 'AssetGuardPage')
const FramesPage = later(() => import('./page/device/frames'), 'FramesPage')
const Runs = later(() => import('./page/run/runs'), 'Runs')
const RunPage = later(() => import('./page/run/run'), 'RunPage')
const RunComparePage = later(() => import('./page/run/compare'), 'RunComparePage')
const Boards = lazy(() => import('./page/board/boards'))
const BoardPage = lazy(() => import('./page/board/board'))
const Arrange = lazy(() => import('./page/board/arrange'))

/** What is seen first: the board that the person starts with, else what is wrong now. */
function Start() {
  const start = useSession().data?.start
  const opened = useLocation().key === 'default' // nobody has gone anywhere yet
  return opened && start ? <Navigate to={`/boards/${start}`} replace /> : <Now />
}

/** The page of an address that is none. */
const Nowhere = () => <NoPage error={new Error(`There is nothing at ${useLocation().pathname}.`)} />

/** Every page by its address. */
export const Pages = () => (
  <Suspense fallback={<Soft>Looking …</Soft>}>
    <Routes>
      <Route path="/" element={<Start />} />
      <Route path="/set-up" element={<SetUp />} />
      <Route path="/set-up/people" element={<People />} />
      <Route path="/set-up/readers" element={<Readers />} />
      <Route path="/removed" element={<Removed />} />
      <Route path="/set-up/tariffs" element={<Tariffs />} />
      <Route path="/boards" element={<Boards />} />
      <Route path="/boards/:board" element={<BoardPage />} />
      <Route path="/boards/:board/arrange" element={<Arrange />} />
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
      <Route path="/assets" element={<Assets />} />
      <Route path="/assets/:asset" element={<AssetPage />} />
      <Route path="/assets/:asset/guard" element={<AssetGuardPage />} />
      <Route path="/frames/:device" element={<FramesPage />} />
      <Route path="/runs" element={<Runs />} />
      <Route path="/runs/compare" element={<RunComparePage />} />
      <Route path="/runs/:id" element={<RunPage />} />
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
      <Route path="*" element={<Nowhere />} />
    </Routes>
  </Suspense>
)
