import styled from 'styled-components'
import { api, take, type Tariff } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { useSession, useSite } from '../../api/site'
import { lookAtTariff, useTariffs } from '../../api/total'
import { Above, Heading, PlainLink, Prose, QuietButton, Row, Soft, Subheading } from '../../ui/basics'
import { Changing, saveAsNew, type SaveUnder } from '../../ui/changing'
import { Fields, Form, Send, useSave, Written } from '../../ui/form'
import { NoPage } from '../../ui/no-page'
import { NumberField } from '../../ui/number'
import { Opens } from '../../ui/opens'
import { Removal } from '../../ui/sure'

/** What comes after the first block of a rate. */
const Further = styled(Fields)`
  margin-left: var(--gap-4);
`

type Version = Tariff['versions'][number]
type Rate = Version['rates'][number]

const Card = styled.fieldset`
  border: var(--hair);
  border-radius: var(--radius);
  padding: var(--gap-3) var(--gap-4);
  margin: 0;
  min-width: 0;
  legend {
    font-weight: 620;
  }
`
const fresh: Tariff = { name: '', versions: [{ from: '', rates: [{ name: 'all day', blocks: [{ price: '' }] }] }] }

/** What energy costs: by hour, day and block, from a date on. */
export function Tariffs() {
  const tariffs = useTariffs()
  const keeper = useSession().data?.role !== 'viewer'
  if (tariffs.error) return <NoPage error={tariffs.error} />
  if (!tariffs.data) return <Soft>Looking …</Soft>
  return (
    <>
      <title>Tariffs · Jaunty Lark</title>
      <Above>
        <PlainLink href="/set-up">Set-up</PlainLink>
      </Above>
      <Heading>Tariffs</Heading>
      {tariffs.data.length === 0 && <Prose>None yet. Totals of cost need one.</Prose>}
      {tariffs.data.map((t) => (
        <section key={t.name} aria-label={t.name} data-tariff={t.name}>
          <Subheading>{t.name}</Subheading>
          <Changing of={`tariff ${t.name}`} look={() => lookAtTariff(t.name)} kept={t}>
            {(begun, save) => <TariffForm tariff={begun} saveUnder={save} keeper={keeper} />}
          </Changing>
        </section>
      ))}
      {keeper && (
        <Row $above={4}>
          <Opens name="Add a tariff …">
            {(close) => (
              <>
                <Subheading>New tariff</Subheading>
                <TariffForm tariff={fresh} keeper done={close} />
              </>
            )}
          </Opens>
        </Row>
      )}
    </>
  )
}

const money = (said: string | undefined) => (said ? Number(said) : undefined)

/** What was left empty is not sent. */
const said = (t: Tariff): Tariff => ({
  ...t,
  versions: t.versions.map((v) => ({
    from: v.from,
    ...(v.standing ? { standing: v.standing } : {}),
    rates: v.rates.map((r) => ({
      name: r.name,
      ...(r.days?.length ? { days: r.days } : {}),
      ...(r.since ? { since: r.since } : {}),
      ...(r.until ? { until: r.until } : {}),
      blocks: r.blocks.map((b) => (b.up_to ? { up_to: b.up_to, price: b.price } : { price: b.price })),
    })),
  })),
})

type FormProps = { tariff: Tariff; saveUnder?: SaveUnder; keeper: boolean; done?: () => void }

function TariffForm({ tariff, saveUnder = saveAsNew, keeper, done }: FormProps) {
  const [t, setTariff, unsaved] = useDraft(`tariff ${tariff.name}`, tariff)
  const currency = useSite().data?.currency || 'the currency'
  const save = useSave(
    () =>
      saveUnder((header) =>
        api.PUT('/api/v1/tariffs/{tariff}', { params: { path: { tariff: t.name }, header }, body: said(t) }),
      ),
    unsaved,
    done,
  )
  const remove = () => take(api.DELETE('/api/v1/tariffs/{tariff}', { params: { path: { tariff: t.name } } }))
  const change = (i: number, some: Partial<Version>) =>
    setTariff({ ...t, versions: t.versions.map((v, j) => (i === j ? { ...v, ...some } : v)) })
  const newest = t.versions.at(-1) ?? fresh.versions[0]!
  return (
    <Form may={keeper} unsaved={unsaved} width="full" save={save}>
      {!tariff.name && (
        <Written
          label="Name"
          value={t.name}
          onChange={(name) => setTariff({ ...t, name })}
          hint="small letters, digits and -"
        />
      )}
      {t.versions.map((v, i) => (
        <Card key={i}>
          <legend>From a day on</legend>
          <Fields>
            <Written label="Valid from" type="date" value={v.from} onChange={(from) => change(i, { from })} />
            <NumberField
              label={`Standing charge, ${currency} a day`}
              value={money(v.standing)}
              step={0.01}
              optional
              onChange={(n) => change(i, { standing: n === undefined ? '' : String(n) })}
            />
          </Fields>
          {v.rates.map((r, j) => (
            <RateFields
              key={j}
              rate={r}
              keeper={keeper}
              onChange={(next) =>
                change(i, {
                  rates: next ? v.rates.map((o, k) => (j === k ? next : o)) : v.rates.filter((_, k) => j !== k),
                })
              }
            />
          ))}
          {keeper && (
            <QuietButton onPress={() => change(i, { rates: [...v.rates, { name: '', blocks: [{ price: '' }] }] })}>
              Add a rate
            </QuietButton>
          )}
        </Card>
      ))}
      <Send send="Save" sent="Saved. Costs are added up anew." off={!t.name} onCancel={done}>
        {tariff.name && (
          <QuietButton onPress={() => setTariff({ ...t, versions: [...t.versions, { ...newest, from: '' }] })}>
            Add prices from a day on
          </QuietButton>
        )}
      </Send>
      {keeper && tariff.name && (
        <Removal
          name={`Remove the tariff ${t.name}`}
          says="Totals that go by it have to go first."
          act={remove}
          gone={{ kind: 'tariff', name: tariff.name }}
        />
      )}
    </Form>
  )
}

type RateProps = { rate: Rate; keeper: boolean; onChange: (rate: Rate | undefined) => void }

function RateFields({ rate: r, keeper, onChange }: RateProps) {
  const put = (some: Partial<Rate>) => onChange({ ...r, ...some })
  return (
    <>
      <Fields $tight>
        <Written label="Rate" value={r.name} onChange={(name) => put({ name })} hint="like night" />
        <Written
          label="Days"
          value={(r.days ?? []).join(' ')}
          onChange={(days) => put({ days: days.split(/[\s,]+/).filter(Boolean) })}
          hint="like mon tue or holiday; all when empty"
        />
        <Written label="From" value={r.since ?? ''} onChange={(since) => put({ since })} hint="like 23:00" />
        <Written label="Until" value={r.until ?? ''} onChange={(until) => put({ until })} hint="like 08:00" />
        {keeper && (
          <QuietButton onPress={() => onChange(undefined)} aria-label={`Remove the rate ${r.name}`}>
            Remove
          </QuietButton>
        )}
      </Fields>
      {r.blocks.map((b, i) => (
        <Further key={i} $tight>
          <NumberField
            label="Price of a kWh"
            value={money(b.price)}
            step={0.01}
            onChange={(v) =>
              put({ blocks: r.blocks.map((o, k) => (i === k ? { ...o, price: v === undefined ? '' : String(v) } : o)) })
            }
          />
          <NumberField
            label="for the first kWh of a month"
            value={b.up_to}
            least={0}
            optional
            onChange={(up_to) => put({ blocks: r.blocks.map((o, k) => (i === k ? { ...o, up_to } : o)) })}
            hint="for all when empty"
          />
          {keeper && i === r.blocks.length - 1 && (
            <QuietButton onPress={() => put({ blocks: [...r.blocks, { price: '' }] })}>Price above that</QuietButton>
          )}
        </Further>
      ))}
    </>
  )
}
