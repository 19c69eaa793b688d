import { useQuery } from '@tanstack/react-query'
import { keyOf } from './changes'
import { api, take } from './client'

// How a device lives is not on the live stream, so it is asked for.
const lifeEvery = 3_000

export const useDevices = () =>
  useQuery({ queryKey: keyOf('devices'), queryFn: () => take(api.GET('/api/v1/devices')), refetchInterval: lifeEvery })

export const lookAtDevice = (device: string) => api.GET('/api/v1/devices/{device}', { params: { path: { device } } })
export const useDevice = (device: string, every = lifeEvery) =>
  useQuery({
    queryKey: keyOf('device', device),
    queryFn: () => take(api.GET('/api/v1/devices/{device}', { params: { path: { device } } })),
    refetchInterval: every,
  })

export const useCode = (device: string) =>
  useQuery({
    queryKey: keyOf('device', device, 'code'),
    queryFn: () => take(api.GET('/api/v1/devices/{device}/code', { params: { path: { device } } })),
  })

export const useArrivals = () =>
  useQuery({
    queryKey: keyOf('arrivals'),
    queryFn: () => take(api.GET('/api/v1/arrivals')),
    refetchInterval: lifeEvery,
  })

export const useEnrolment = () =>
  useQuery({ queryKey: keyOf('enrolment'), queryFn: () => take(api.GET('/api/v1/enrolment')) })

export const lookAtKit = (kit: string) => api.GET('/api/v1/kits/{kit}', { params: { path: { kit } } })
export const useKits = () => useQuery({ queryKey: keyOf('kits'), queryFn: () => take(api.GET('/api/v1/kits')) })

export const useKitChanges = (kit: string) =>
  useQuery({
    queryKey: keyOf('kits', kit, 'changes'),
    queryFn: () => take(api.GET('/api/v1/kits/{kit}/changes', { params: { path: { kit } } })),
  })
