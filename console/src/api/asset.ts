import { askOnly } from './kept'
import { useQuery } from '@tanstack/react-query'
import { keyOf } from './changes'
import { api, type AssetChange, type Condition, type Precondition, take, type WatchOrder } from './client'

const at = (asset: string) => ({ params: { path: { asset } } })
const every = 10_000 // what an asset does by its signals is on the live stream; its words are asked for

export const useAssets = () =>
  useQuery({ queryKey: keyOf('assets'), queryFn: () => take(api.GET('/api/v1/assets')), refetchInterval: every })
export const useAsset = (asset: string) =>
  useQuery({
    queryKey: keyOf('assets', asset),
    queryFn: () => take(api.GET('/api/v1/assets/{asset}', at(asset))),
    refetchInterval: every,
  })
export const useAssetJournal = (asset: string) =>
  useQuery({
    queryKey: keyOf('assets', asset, 'journal'),
    queryFn: () =>
      take(api.GET('/api/v1/assets/{asset}/journal', { params: { path: { asset }, query: { limit: 30 } } })),
    refetchInterval: every,
  })

export const addAsset = (name: string, change: AssetChange) =>
  take(api.POST('/api/v1/assets', { body: { name, ...change } }))
export const lookAtAsset = (asset: string) => api.GET('/api/v1/assets/{asset}', at(asset))
export const patchAsset = (asset: string, header: Precondition, body: AssetChange) =>
  api.PATCH('/api/v1/assets/{asset}', { params: { path: { asset }, header }, body })
export const removeAsset = (asset: string) => take(api.DELETE('/api/v1/assets/{asset}', at(asset)))
export const setCondition = (asset: string, condition: Condition, why: string) =>
  take(api.PUT('/api/v1/assets/{asset}/condition', { ...at(asset), body: { condition, why } }))
export const dropAttachment = (asset: string, id: number) =>
  take(api.DELETE('/api/v1/assets/{asset}/attachments/{id}', { params: { path: { asset, id } } }))
export const putUnderGuard = (asset: string, body: WatchOrder) =>
  take(api.PUT('/api/v1/assets/{asset}/guard', { ...at(asset), body, ...(body.try ? { fetch: askOnly } : {}) }))

/** Sends a file as it is. */
const asIs = (file: File) => ({
  body: file as never,
  bodySerializer: (body: unknown) => body as BodyInit,
  headers: { 'Content-Type': 'application/octet-stream' },
})

export const addPhoto = (asset: string, file: File) =>
  take(
    api.POST('/api/v1/assets/{asset}/photos', {
      params: { path: { asset }, query: { name: file.name } },
      ...asIs(file),
    }),
  )
export const addPaper = (asset: string, file: File) =>
  take(
    api.POST('/api/v1/assets/{asset}/papers', {
      params: { path: { asset }, query: { name: file.name } },
      ...asIs(file),
    }),
  )

export const attachment = (asset: string, id: number, small = false) =>
  `/api/v1/assets/${asset}/attachments/${id}${small ? '?small=true' : ''}`
export const label = (asset: string) => `/api/v1/assets/${asset}/label.svg`
export const labels = '/api/v1/labels.pdf'

export const calledAsset = (a: { title: string; name: string }) =>
  a.title || a.name.charAt(0).toUpperCase() + a.name.slice(1).replaceAll('-', ' ')

/** What a condition is called where it stands by itself. */
export const conditionWords: Record<Condition, string> = {
  'in order': 'in order',
  attention: 'needs attention',
  'out of order': 'out of order',
  retired: 'retired',
}
