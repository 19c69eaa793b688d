import { Failure, Heading, Prose, QuietLink, Row } from './basics'

type Props = { error: Error }

/** In place of a page that cannot be shown: why, and ways on. */
export const NoPage = ({ error }: Props) => (
  <>
    <title>Nothing here · Jaunty Lark</title>
    <Heading>This page cannot be shown.</Heading>
    <Failure error={error} />
    <Prose>Find what you look for by Ctrl K, or go on from here:</Prose>
    <Row>
      <QuietLink href="/">Now</QuietLink>
      <QuietLink href="/devices">Devices</QuietLink>
      <QuietLink href="/journal">Journal</QuietLink>
    </Row>
  </>
)
