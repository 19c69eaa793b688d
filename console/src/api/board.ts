import { useQuery } from '@tanstack/react-query'
import { keyOf } from './changes'
import { api, type Board, type Picture, take, type Tile, type Tiling } from './client'

export type Kind = Tile['kind']

/** A tile that has its place; the service has given it one. */
export type Placed = Tile & { id: string; x: number; y: number; w: number; h: number }

/** The tiles of a tiling, in reading order. The service leaves out what is 0. */
export const placed = (t: Tiling): Placed[] =>
  t.tiles.map((tile, i) => ({
    ...tile,
    id: tile.id || `t${i}`,
    x: tile.x ?? 0,
    y: tile.y ?? 0,
    w: tile.w ?? 1,
    h: tile.h ?? 1,
  }))

export const useBoards = () => useQuery({ queryKey: keyOf('boards'), queryFn: () => take(api.GET('/api/v1/boards')) })
const at = (board: string) => ({ params: { path: { board } } })
export const takeBoard = (board: string) => take(api.GET('/api/v1/boards/{board}', at(board)))
/** A board; asked for anew so often, in milliseconds, where others may be changing its draft. */
export const useBoard = (board: string, every?: number) =>
  useQuery({ queryKey: keyOf('board', board), queryFn: () => takeBoard(board), refetchInterval: every ?? false })
export const useVersions = (board: string) =>
  useQuery({
    queryKey: keyOf('board', board, 'versions'),
    queryFn: () => take(api.GET('/api/v1/boards/{board}/versions', at(board))),
  })
export const usePictures = () =>
  useQuery({ queryKey: keyOf('pictures'), queryFn: () => take(api.GET('/api/v1/pictures')) })

export const addBoard = (name: string, title: string) =>
  take(api.PUT('/api/v1/boards/{board}', { ...at(name), body: { title, tiling: { tiles: [] } } }))
export const copyBoard = (board: string, name: string, title: string) =>
  take(api.POST('/api/v1/boards/{board}/copy', { ...at(board), body: { name, title } }))
export const changeBoard = (board: string, body: { title?: string; shared?: boolean }) =>
  take(api.PATCH('/api/v1/boards/{board}', { ...at(board), body }))
export const removeBoard = (board: string) => take(api.DELETE('/api/v1/boards/{board}', at(board)))
export const startWith = (board: string) => take(api.PUT('/api/v1/session/start', { body: { board } }))
export const takeVersion = (board: string, version: number) =>
  take(api.POST('/api/v1/boards/{board}/versions/{version}/draft', { params: { path: { board, version } } }))
export const saveDraft = (board: string, tiling: Tiling, revision: number) =>
  take(api.PUT('/api/v1/boards/{board}/draft', { ...at(board), body: { tiling, revision } }))
export const dropDraft = (board: string) => take(api.DELETE('/api/v1/boards/{board}/draft', at(board)))
export const publish = (board: string, revision: number, note: string) =>
  take(api.POST('/api/v1/boards/{board}/publish', { ...at(board), body: { revision, note } }))

/** Stores a picture; it is sent as it is. */
export const addPicture = (file: File): Promise<Picture> =>
  take(
    api.POST('/api/v1/pictures', {
      params: { query: { name: file.name.replace(/\.\w+$/, '') } },
      body: file as unknown as string,
      bodySerializer: (body) => body as unknown as File,
      headers: { 'Content-Type': 'application/octet-stream' },
    }),
  )
export const removePicture = (id: number) => take(api.DELETE('/api/v1/pictures/{id}', { params: { path: { id } } }))
export const pictureAt = (id: number) => `/api/v1/pictures/${id}`

export const boardTitle = (b: Pick<Board, 'name' | 'title'>) =>
  b.title || b.name.charAt(0).toUpperCase() + b.name.slice(1).replace(/-/g, ' ')

/** A name for what people call something. */
export const nameFrom = (title: string) =>
  title
    .toLowerCase()
    .normalize('NFD')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 63)
