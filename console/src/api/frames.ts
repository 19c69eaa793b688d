import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { keyOf } from './changes'
import { api, type Eye, type Precondition, Problem, take } from './client'
import { ask } from './kept'
import { useSignal } from './signal'

const iso = (at: number) => new Date(at).toISOString()

export const useEye = (device: string) =>
  useQuery({
    queryKey: keyOf('eye', device),
    queryFn: () => take(api.GET('/api/v1/devices/{device}/eye', { params: { path: { device } } })),
  })

/** When the newest frame of a device came; each tells the highest of its picture. */
export const useNewestFrame = (device: string) => useSignal(`${device}/highest`)?.at ?? ''

/** What a strip shows when it is opened: so many frames of the last day. */
export const firstStrip = { span: 24 * 3600_000, most: 60 }

/** The frames of a stretch; a live one is asked for anew whenever a frame has come. */
export function useFrames(device: string, span: number, until: number, most: number) {
  const newest = useNewestFrame(device)
  return useQuery({
    queryKey: keyOf('frames', device, span, until, most, until ? '' : newest),
    queryFn: () => {
      const end = until || Date.now() + 60_000
      const query = { since: iso(end - span), until: iso(end), most }
      return take(api.GET('/api/v1/devices/{device}/frames', { params: { path: { device }, query } }))
    },
    placeholderData: keepPreviousData,
  })
}

export const usePalettes = () =>
  useQuery({ queryKey: keyOf('palettes'), queryFn: () => take(api.GET('/api/v1/palettes')), staleTime: Infinity })

/** A grid of temperatures in °C, or of differences; null is a pixel that gave none. */
export type Grid = { at: string; width: number; height: number; values: (number | null)[] }

export const frameFile = (device: string, at: string, ending: string, query: Record<string, string> = {}) => {
  const text = new URLSearchParams(Object.entries(query).filter(([, v]) => v !== '')).toString()
  return `/api/v1/devices/${device}/frames/${encodeURIComponent(at)}.${ending}${text && `?${text}`}`
}
export const stripFile = (device: string, query: Record<string, string>) =>
  `/api/v1/devices/${device}/strip.gif?${new URLSearchParams(query).toString()}`

async function fetchGrid(device: string, at: string, against: string): Promise<Grid> {
  const answer = await ask(new Request(frameFile(device, at, 'json', { against })))
  const body = (await answer.json()) as Grid & { detail?: string }
  if (!answer.ok) throw new Problem(answer.status, body.detail ?? answer.statusText)
  return body
}

/** One frame; the one before it stays until it is there. */
export const useGrid = (device: string, at: string, against = '') =>
  useQuery({
    queryKey: keyOf('grid', device, at, against),
    queryFn: () => fetchGrid(device, at, against),
    placeholderData: keepPreviousData,
    enabled: at !== '',
    staleTime: 5 * 60_000,
    gcTime: 60_000,
  })

/** Lets frames be compared with one from now on. */
export const compareWith = (device: string, reference: string) =>
  take(api.PATCH('/api/v1/devices/{device}/eye', { params: { path: { device } }, body: { reference } }))
export const lookAtEye = (device: string) => api.GET('/api/v1/devices/{device}/eye', { params: { path: { device } } })
export const putEye = (device: string, body: Eye, header: Precondition) =>
  api.PUT('/api/v1/devices/{device}/eye', { params: { path: { device }, header }, body })

/** The lowest and highest value of a grid. */
export function extentOf(grid: Grid): [number, number] {
  let low = Infinity
  let high = -Infinity
  for (const v of grid.values)
    if (v != null) {
      if (v < low) low = v
      if (v > high) high = v
    }
  return low > high ? [0, 1] : [low, high]
}

/** Goes on by itself while it plays; whoever wants no motion does not press it. */
export function usePlaying(count: number, step: () => void) {
  const [playing, setPlaying] = useState(false)
  useEffect(() => {
    if (!playing || count < 2) return
    const timer = setInterval(step, 250)
    return () => clearInterval(timer)
  }, [playing, count, step])
  return [playing, setPlaying] as const
}
