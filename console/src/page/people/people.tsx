import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { keyOf } from '../../api/changes'
import { api, type Person, take } from '../../api/client'
import { useDraft } from '../../api/drafts'
import { useAct } from '../../api/queries'
import { useSession, useSite } from '../../api/site'
import { clock } from '../../api/words'
import {
  Above,
  Code,
  Columns,
  Failure,
  Heading,
  PlainLink,
  Prose,
  Scroll,
  Soft,
  Subheading,
  Table,
} from '../../ui/basics'
import { Fields, Form, Select, Send, useSave, Written } from '../../ui/form'
import { Sure } from '../../ui/sure'

const roles = { viewer: 'viewer: looks', keeper: 'keeper: changes and acknowledges', owner: 'owner: all, and people' }
type Role = keyof typeof roles

/** Who may sign in, and what each may do. */
export function People() {
  const me = useSession().data
  const zone = useSite().data?.zone ?? 'UTC'
  const owner = me?.role === 'owner'
  const people = useQuery({ queryKey: keyOf('people'), queryFn: () => take(api.GET('/api/v1/people')), enabled: owner })
  const role = useAct(({ email, to }: { email: string; to: Role }) =>
    take(api.PUT('/api/v1/people/{email}/role', { params: { path: { email } }, body: { role: to } })),
  )
  const remove = (email: string) => take(api.DELETE('/api/v1/people/{email}', { params: { path: { email } } }))
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
                        act={() => remove(p.email)}
                        gone={{ kind: 'person', name: p.email }}
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

const blank = { email: '', name: '', role: 'keeper' as Role }

function AddPerson() {
  const [d, setDraft, unsaved] = useDraft('new person', blank)
  const [password, setPassword] = useState('') // is never kept
  const set = (change: Partial<typeof d>) => setDraft((old) => ({ ...old, ...change }))
  const add = useSave(
    () => take(api.POST('/api/v1/people', { body: { ...d, ...(password ? { password } : {}) } })),
    undefined,
    () => {
      unsaved.reset(blank)
      setPassword('')
    },
  )
  return (
    <>
      <Subheading>Add a person</Subheading>
      <Form unsaved={unsaved} width="full" save={add}>
        <Fields>
          <Written label="E-mail" value={d.email} onChange={(email) => set({ email })} type="email" />
          <Written label="Name" value={d.name} onChange={(name) => set({ name })} />
          <Select label="Role" value={d.role} onChange={(role) => set({ role: role as Role })} options={roles} />
          <Written
            label="Password"
            value={password}
            onChange={setPassword}
            type="password"
            hint="one is made when empty"
          />
        </Fields>
        <Send send="Add" off={!d.email} />
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
