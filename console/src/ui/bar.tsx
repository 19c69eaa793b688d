import styled from 'styled-components'

/** A cell for a bar, which compares what stands beside it. */
export const BarCell = styled.td`
  width: 40%;
  min-width: 120px;
`

const Track = styled.svg`
  display: block;
  width: 100%;
  height: 12px;
`

/** A share as a bar; it repeats a figure beside it, so it is hidden from screen readers. */
export const Bar = ({ share }: { share: number }) => (
  <Track viewBox="0 0 100 10" preserveAspectRatio="none" aria-hidden="true">
    <rect x="0" y="0" width={Math.max(0, Math.min(100, share * 100))} height="10" fill="var(--line-1)" opacity="0.75" />
  </Track>
)
