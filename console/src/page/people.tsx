import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, type Person, take } from '../api/client'
import { queries, useSession, useSite } from '../api/queries'
import { clock } from '../api/words'
import {
  Above,
  Button,
  Code,
  Columns,
  Failure,
  Heading,
  PlainLink,
  Prose,
  Row,
  Scroll,
  Soft,
  Subheading,
  Table,
} from '../ui/basics'
import { Fields, Form, Select, Written } from '../ui/form'
import { Sure } from '../ui/sure'

const roles = { viewer: 'viewer: looks', keeper: 'keeper: changes and acknowledges', owner: 'owner: all, and people' }
type Role = keyof typeof roles

const useAct = <In, Out>(act: (input: In) => Promise<Out>) =>
  useMutation({ mutationFn: act, onSuccess: () => void queries.invalidateQueries({ queryKey: ['people'] }) })

/** Who may sign in, and what each may do. */
export function People() {
  const me = useSession().data
  const zone = useSite().data?.zone ?? 'UTC'
  const owner = me?.role === 'owner'
  const people = useQuery({ queryKey: ['people'], queryFn: () => take(api.GET('/api/v1/people')), enabled: owner })
  const role = useAct(({ email, to }: { email: string; to: Role }) =>
    take(api.PUT('/api/v1/people/{email}/role', { params: { path: { email } }, body: { role: to } })),
  )
  const remove = useAct((email: string) => take(api.DELETE('/api/v1/people/{email}', { params: { path: { email } } })))
  return (
    <>
      <title>People · Jaunty Lark</title>
      <Above>
        <PlainLink href="/set-up">Set-up</PlainLink>
      </Above>
      <Heading>People</Heading>
      {!owner && <Prose>Only owners see who may sign in. You are {me?.role}.</Prose>}
      {people.error && <Failure error={people.error} />}
      {people.data && (
        <Scroll>
          <Table>
            <Columns names={['Name', 'E-mail', 'Since', 'Role', '']} />
            <tbody>
              {people.data.map((p: Person) => (
                <tr key={p.id} data-person={p.email}>
                  <td>{p.name}</td>
                  <td>{p.email}</td>
                  <td>{clock(p.created_at, zone, { day: 'numeric', month: 'short', year: 'numeric' })}</td>
                  <td>
                    {p.email === me?.email ? (
                      <Soft>{p.role}: this is you</Soft>
                    ) : (
                      <Select
                        label=""
                        value={p.role}
                        onChange={(to) => role.mutate({ email: p.email, to: to as Role })}
                        options={roles}
                        name={`Role of ${p.name || p.email}`}
                      />
                    )}
                  </td>
                  <td>
                    {p.email !== me?.email && (
                      <Sure
                        name={`Remove ${p.name || p.email}`}
                        says="All sessions and tokens end at once. What was done stays in the journal."
                        act={(after) => remove.mutate(p.email, after)}
                        error={remove.error}
                        done={() => undefined}
                      />
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
      {role.error && <Failure error={role.error} />}
      {owner && <AddPerson />}
    </>
  )
}

function AddPerson() {
  const [email, setEmail] = useState('')
  const [name, setName] = useState('')
  const [role, setRole] = useState<Role>('keeper')
  const [password, setPassword] = useState('')
  const add = useAct(() =>
    take(api.POST('/api/v1/people', { body: { email, name, role, ...(password ? { password } : {}) } })),
  )
  return (
    <>
      <Subheading>Let somebody in</Subheading>
      <Form
        style={{ maxWidth: 'none' }}
        onSubmit={(e) => {
          e.preventDefault()
          add.mutate(undefined, { onSuccess: () => setEmail('') })
        }}
      >
        <Fields style={{ marginBottom: 0 }}>
          <Written label="E-mail" value={email} onChange={setEmail} type="email" />
          <Written label="Name" value={name} onChange={setName} />
          <Select label="Role" value={role} onChange={(v) => setRole(v as Role)} options={roles} />
          <Written
            label="Password"
            value={password}
            onChange={setPassword}
            type="password"
            hint="one is made when left empty"
          />
        </Fields>
        <Row>
          <Button type="submit" isDisabled={add.isPending || !email}>
            Let in
          </Button>
        </Row>
        {add.data && (
          <Prose role="status">
            {add.data.name || add.data.email} may sign in now.
            {add.data.password && ' The password, told this once:'}
          </Prose>
        )}
        {add.data?.password && <Code>{add.data.password}</Code>}
        {add.error && <Failure error={add.error} />}
      </Form>
    </>
  )
}
