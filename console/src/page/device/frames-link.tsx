import { type ReactNode, useEffect } from 'react'
import { firstStrip, useEye, useFrames } from '../../api/frames'
import { QuietLink } from '../../ui/basics'

/** Leads to the frames of a device, and has their page and what it asks first ready. */
export function FramesLink({ device, children }: { device: string; children: ReactNode }) {
  useEffect(() => void import('./frames'), [])
  useEye(device)
  useFrames(device, firstStrip.span, 0, firstStrip.most)
  return <QuietLink href={`/frames/${device}`}>{children}</QuietLink>
}
