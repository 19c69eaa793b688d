import Markdown from 'markdown-to-jsx/react'
import { Link } from 'react-router'
import styled from 'styled-components'

const Text = styled.div`
  > :first-child {
    margin-top: 0;
  }
  h1,
  h2,
  h3,
  h4 {
    font-size: var(--step-1);
    font-weight: 600;
    margin: var(--gap-3) 0 var(--gap-1);
  }
  p,
  ul,
  ol {
    margin: var(--gap-1) 0 var(--gap-2);
  }
  ul,
  ol {
    padding-left: 1.3em;
  }
  table {
    border-collapse: collapse;
  }
  th,
  td {
    text-align: left;
    padding: 3px 12px 3px 0;
    border-bottom: var(--hair);
  }
`

/** A link inside the console stays in it; one outside tells nobody where it came from. */
const Anchor = ({ href = '', children }: { href?: string; children?: React.ReactNode }) =>
  href.startsWith('/') ? (
    <Link to={href}>{children}</Link>
  ) : (
    <a href={href} rel="noreferrer noopener" target="_blank">
      {children}
    </a>
  )

/** Pictures in a note are those of the site; others would tell strangers who looks. */
const Picture = ({ src = '', alt = '' }: { src?: string; alt?: string }) =>
  src.startsWith('/api/v1/pictures/') ? <Picture src={src} alt={alt} /> : <>{alt}</>

/** Markdown, in which HTML is text. */
export const Noted = ({ text }: { text: string }) => (
  <Text>
    <Markdown options={{ disableParsingRawHTML: true, forceBlock: true, overrides: { a: Anchor, img: Picture } }}>
      {text}
    </Markdown>
  </Text>
)
