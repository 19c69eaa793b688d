import { api, take } from '../../api/client'
import { useAct } from '../../api/queries'
import { useSignals } from '../../api/signal'
import { useSession, useSite } from '../../api/site'
import { dimensionOf, unitsOf, written } from '../../api/units'
import { Failure, Heading, Prose, Soft, Subheading } from '../../ui/basics'
import { Fields, Select } from '../../ui/form'

/** In which units values are seen: by this person, and by all who have not said otherwise. */
export function UnitsPage() {
  const person = useSession().data
  const site = useSite().data
  const signals = useSignals().data
  const own = useAct((units: Record<string, string>) => take(api.PUT('/api/v1/session/units', { body: { units } })))
  const all = useAct((units: Units) => take(api.PATCH('/api/v1/site', { body: { units } as never })))
  if (!person || !site || !signals) return <Soft>Looking …</Soft>
  const dimensions = [...new Set(signals.map((s) => dimensionOf(s.unit)))]
    .filter((d) => d && unitsOf(d).length > 1)
    .sort()
  return (
    <>
      <title>Units · Jaunty Lark</title>
      <Heading>Units</Heading>
      <Prose>
        Values are stored as they first came. Here you say how they are shown: figures, limits, bands and charts alike.
      </Prose>
      <Choices
        title="Your units"
        dimensions={dimensions}
        units={person.units ?? {}}
        none="as the site says"
        set={own.mutate}
      />
      {own.error && <Failure error={own.error} />}
      {person.role === 'owner' && (
        <Choices
          title="Units of the site and of messages"
          dimensions={dimensions}
          units={site.units ?? {}}
          none="as it is stored"
          set={all.mutate}
        />
      )}
      {all.error && <Failure error={all.error} />}
    </>
  )
}

type Units = Record<string, string | null>

type Props = {
  title: string
  dimensions: string[]
  units: Record<string, string>
  none: string
  set: (units: Record<string, string>) => void
}

const Choices = ({ title, dimensions, units, none, set }: Props) => (
  <section aria-label={title}>
    <Subheading>{title}</Subheading>
    <Fields>
      {dimensions.map((d) => (
        <Select
          key={d}
          label={d.charAt(0).toUpperCase() + d.slice(1)}
          value={units[d] ?? ''}
          onChange={(unit) => {
            const others = Object.fromEntries(Object.entries(units).filter(([other]) => other !== d))
            set(unit ? { ...others, [d]: unit } : others)
          }}
          options={Object.fromEntries([['', none], ...unitsOf(d).map((u) => [u.code, written(u.code) || u.code])])}
        />
      ))}
    </Fields>
  </section>
)
