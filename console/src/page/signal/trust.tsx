import { useParams } from 'react-router'
import { api, type Curve, pathOf, take, type Trust } from '../../api/client'
import { useNow } from '../../api/live'
import { useAct } from '../../api/queries'
import { useSignals, useTrust, useWork } from '../../api/signal'
import { useSession, useSite } from '../../api/site'
import { age, amount, clock, doubt, figure, fullTitle, reads, readsIn, say } from '../../api/words'
import { Calibrate } from './calibrate'
import { Verify } from './verify'
import {
  Above,
  BigFigure,
  Columns,
  Failure,
  Heading,
  PlainLink,
  Prose,
  QuietButton,
  QuietLink,
  Row,
  Scroll,
  Soft,
  Subheading,
  Table,
} from '../../ui/basics'
import { NoPage } from '../../ui/no-page'
import { Sure } from '../../ui/sure'

const day: Intl.DateTimeFormatOptions = {
  day: 'numeric',
  month: 'short',
  year: 'numeric',
  hour: '2-digit',
  minute: '2-digit',
}

/** Why a signal can be believed: calibrations, verifications, and the forms for both. */
export function TrustPage() {
  const { device = '', signal: name = '' } = useParams()
  const now = useNow()
  const zone = useSite().data?.zone ?? 'UTC'
  const keeper = useSession().data?.role !== 'viewer'
  const signals = useSignals()
  const trust = useTrust(device, name)
  const work = useWork(device, name).data
  const signal = signals.data?.find((s) => pathOf(s) === `${device}/${name}`)
  if (signals.error || trust.error) return <NoPage error={(signals.error ?? trust.error)!} />
  if (!signals.data || !trust.data) return <Soft>Looking …</Soft>
  if (!signal) return <NoPage error={new Error(`There is no signal ${device}/${name}.`)} />
  return (
    <>
      <title>{`Calibrate and verify ${fullTitle(signal)} · Jaunty Lark`}</title>
      <Above>
        <PlainLink href={`/signals/${device}/${name}`}>{fullTitle(signal)}</PlainLink>
      </Above>
      <Heading>Calibrate and verify</Heading>
      <Row>
        <span data-signal={pathOf(signal)}>
          <BigFigure value={reads(signal)} unit={readsIn(signal)} />
        </span>
        <Soft>
          {age(signal.at, now)}
          {doubt(signal) && ` · ${doubt(signal)}`}
        </Soft>
      </Row>
      <div role="status" data-work={work?.left ? 'going' : 'done'}>
        {work && work.left > 0 && (
          <Prose>
            What follows from a correction is being computed:{' '}
            {Math.round((100 * (work.of - work.left)) / (work.of || 1))} % done.
          </Prose>
        )}
      </div>
      {keeper && <Calibrate signal={signal} zone={zone} />}
      <Calibrations device={device} name={name} trust={trust.data} keeper={keeper} zone={zone} />
      {keeper && <Verify signal={signal} every={trust.data.every} />}
      <Subheading>Verifications</Subheading>
      {trust.data.due && (
        <Prose>
          To be verified every {trust.data.every}; next by {clock(trust.data.due, zone, day)}.
        </Prose>
      )}
      {trust.data.verifications.length === 0 ? (
        <Prose>None yet.</Prose>
      ) : (
        <Scroll tabIndex={0} role="region" aria-label="Verifications">
          <Table>
            <Columns names={['When', 'Result', 'Shown', 'Reference', 'Error', 'Allowed', 'By']} />
            <tbody>
              {trust.data.verifications.map((v) => (
                <tr key={v.id} data-verification={v.passed ? 'pass' : 'fail'}>
                  <td>{clock(v.at, zone, day)}</td>
                  <td>{v.passed ? 'pass' : <b>fail</b>}</td>
                  <td>{say(v.shown, v.unit, signal.step)}</td>
                  <td>{amount(v.reference, v.unit)}</td>
                  <td>{figure(v.error)}</td>
                  <td>± {figure(v.tolerance)}</td>
                  <td>
                    {v.who} {v.note && <Soft>· {v.note}</Soft>}
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
      <Prose>
        <QuietLink href={`/api/v1/devices/${device}/sheet`} target="_blank">
          Sheet of {signal.device_title}, to print
        </QuietLink>{' '}
        <QuietLink href={`/compare?first=${device}/${name}`}>Compare with another signal</QuietLink>
      </Prose>
    </>
  )
}

/** A correction in a few words: × 1.03 − 1.24. */
function curveWords(c: Curve) {
  if (c.points?.length) return 'line with corners'
  const moved = `${c.offset < 0 ? '−' : '+'} ${figure(Math.abs(c.offset))}`
  return c.gain === 1 ? moved : `× ${figure(c.gain)} ${moved}`
}

type Props = { device: string; name: string; trust: Trust; keeper: boolean; zone: string }

/** What was in force from when, and taking it back. */
function Calibrations({ device, name, trust, keeper, zone }: Props) {
  const back = (id: number) =>
    take(
      api.DELETE('/api/v1/signals/{device}/{signal}/calibrations/{id}', {
        params: { path: { device, signal: name, id } },
      }),
    )
  const again = useAct((id: number) =>
    take(
      api.POST('/api/v1/signals/{device}/{signal}/calibrations/{id}/bring-back', {
        params: { path: { device, signal: name, id } },
      }),
    ),
  )
  return (
    <>
      <Subheading>Calibrations</Subheading>
      {again.error && <Failure error={again.error} />}
      {trust.calibrations.length === 0 ? (
        <Prose>None: its values are as the instrument gives them.</Prose>
      ) : (
        <Scroll tabIndex={0} role="region" aria-label="Calibrations">
          <Table>
            <Columns names={['In force from', 'Correction', 'Raw and reference', 'By', 'State']} />
            <tbody>
              {trust.calibrations.map((c) => (
                <tr key={c.id} data-calibration={c.retired ? 'withdrawn' : 'in force'}>
                  <td>{Date.parse(c.from) < 86_400_000 ? 'the first reading' : clock(c.from, zone, day)}</td>
                  <td>{curveWords(c.curve)}</td>
                  <td>{c.pairs.map((p) => `${figure(p.shown)} → ${figure(p.reference)}`).join(', ')}</td>
                  <td>
                    {c.who} {c.note && <Soft>· {c.note}</Soft>}
                  </td>
                  <td>
                    {c.retired ? (
                      <>
                        withdrawn{' '}
                        {keeper && (
                          <QuietButton
                            aria-label={`Put in force again: the calibration of ${clock(c.from, zone, day)}`}
                            isDisabled={again.isPending}
                            onPress={() => again.mutate(c.id)}
                          >
                            Put in force again
                          </QuietButton>
                        )}
                      </>
                    ) : (
                      <>
                        {keeper && (
                          <Sure
                            name={`Withdraw the calibration of ${clock(c.from, zone, day)}`}
                            short="Withdraw"
                            says="Values are as without it again, those of the past too. It stays in this list."
                            act={() => back(c.id)}
                          />
                        )}
                      </>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
    </>
  )
}
