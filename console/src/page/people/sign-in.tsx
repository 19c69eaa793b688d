import { keyOf } from '../../api/changes'
import { type FormEvent } from 'react'
import { api, take } from '../../api/client'
import { queries, useAct } from '../../api/queries'
import { Button, Failure, Heading, Row } from '../../ui/basics'
import { CentrePage, Form, TextInput } from '../../ui/form'
import { Lark } from '../../ui/frame'

/** Signing in: the only page for those who have not. */
export function SignIn() {
  const signIn = useAct(async (body: { email: string; password: string }) =>
    queries.setQueryData(keyOf('session'), await take(api.POST('/api/v1/session', { body }))),
  )
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault()
    const fields = new FormData(e.currentTarget)
    signIn.mutate({ email: String(fields.get('email')), password: String(fields.get('password')) })
  }
  return (
    <CentrePage>
      <Row>
        <Lark />
        <Heading>Jaunty Lark</Heading>
      </Row>
      <Form onSubmit={submit}>
        <TextInput label="E-mail address" name="email" type="email" autoComplete="username" />
        <TextInput label="Password" name="password" type="password" autoComplete="current-password" />
        {signIn.error && <Failure error={signIn.error} />}
        <Button type="submit" isDisabled={signIn.isPending}>
          Sign in
        </Button>
      </Form>
    </CentrePage>
  )
}
