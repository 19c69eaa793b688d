import createClient from 'openapi-fetch'
import { ask } from './kept'
import type { components, paths } from './schema.gen'

export type Signal = components['schemas']['Signal']
export type Alarm = components['schemas']['Alarm']
export type AlarmStory = components['schemas']['AlarmStory']
export type Guard = components['schemas']['Guard']
export type GuardBody = components['schemas']['GuardInput']
/** What has times, with each as a chart reckons: milliseconds since 1970. */
type Timed<T> = Omit<T, 'at'> & { at: number[] }
export const timed = <T extends { at: string[] }>(told: T): Timed<T> => ({
  ...told,
  at: told.at.map((at) => Date.parse(at)),
})
export type Line = Timed<components['schemas']['Line']>
export type Person = components['schemas']['Person']
export type Reader = components['schemas']['Reader']
export type ReaderKey = components['schemas']['ReaderKey']
export type Site = components['schemas']['Site']
export type Spark = components['schemas']['Spark']
export type Device = components['schemas']['Device']
export type DeviceStory = components['schemas']['DeviceStory']
export type AddedDevice = components['schemas']['AddedDevice']
export type NewKey = components['schemas']['NewKey']
export type Text = components['schemas']['Text']
export type Arrival = components['schemas']['Arrival']
export type Kit = components['schemas']['Kit']
export type KitChange = components['schemas']['KitChange']
export type Settings = components['schemas']['Settings']
export type Storage = components['schemas']['Storage']
export type ImportJob = components['schemas']['ImportJob']
export type Layout = components['schemas']['Layout']
export type ClearAnswer = components['schemas']['ClearAnswer']
export type Update = components['schemas']['Update']
export type UnitFacts = components['schemas']['UnitFacts']
export type Doubt = components['schemas']['Doubt']
export type Band = components['schemas']['Band']
export type DeviceChange = components['schemas']['DeviceChangeInput']
export type Curve = components['schemas']['Curve']
export type Trust = components['schemas']['Trust']
export type Fitted = components['schemas']['Fitted']
export type Preview = Timed<components['schemas']['Preview']>
export type Comparison = components['schemas']['Comparison']
export type Total = components['schemas']['TotalInput']
export type TotalNow = components['schemas']['TotalNow']
export type TotalStory = components['schemas']['TotalStory']
export type RecipeKind = components['schemas']['Kind']
export type Recipe = components['schemas']['Recipe']
export type Tariff = components['schemas']['Tariff']
export type Trial = components['schemas']['Trial']
export type Suggestion = components['schemas']['Suggestion']
export type Shape = components['schemas']['Shape']
export type GuardRecord = components['schemas']['Record']
export type Health = components['schemas']['Health']
export type Entry = components['schemas']['Entry']
export type Occurrence = components['schemas']['Occurrence']
export type Summary = components['schemas']['Summary']
export type Marked = components['schemas']['Marked']
export type ReplayLine = components['schemas']['ReplayLine']
export type Result = components['schemas']['Result']
export type Contact = components['schemas']['Contact']
export type Address = components['schemas']['Address']
export type Roster = components['schemas']['RosterInput']
export type Step = components['schemas']['StepInput']
export type Notice = components['schemas']['NoticeStory']
export type CarrierNow = components['schemas']['CarrierNow']
export type Drill = components['schemas']['Drill']
export type Statement = components['schemas']['Statement']
export type Template = components['schemas']['Template']
export type Output = components['schemas']['Output']
export type OutputSpec = components['schemas']['SpecInput']
export type OutputList = components['schemas']['OutputList']
export type Interlock = components['schemas']['Interlock']
export type Tried = components['schemas']['Tried']
export type Board = components['schemas']['Board']
export type Edition = components['schemas']['Edition']
export type Tiling = components['schemas']['TilingInput']
export type Tile = components['schemas']['TileInput']
export type Series = components['schemas']['Series']
export type Pin = components['schemas']['Pin']
export type Look = components['schemas']['Look']
export type Picture = components['schemas']['Picture']
export type SignalLine = Timed<components['schemas']['SignalLine']>
export type Lines = Omit<components['schemas']['Lines'], 'lines'> & { lines: SignalLine[] }
export type StandinMessage = components['schemas']['Message']

export type AssetLine = components['schemas']['AssetLine']
export type AssetPage = components['schemas']['AssetPage']
export type AssetChange = components['schemas']['AssetChange']
export type Attachment = components['schemas']['Attachment']
export type Condition = AssetLine['condition']
export type WatchOrder = components['schemas']['WatchOrderInput']
export type Eye = components['schemas']['Eye']
export type Region = components['schemas']['Region']
export type FrameHead = components['schemas']['Frame']
export type PaletteInfo = components['schemas']['PaletteInfo']
export type Run = components['schemas']['Run']
export type RunPage = components['schemas']['RunPage']
export type RunStart = components['schemas']['RunStart']
export type RunChange = components['schemas']['RunChange']
export type RunComparison = components['schemas']['RunComparison']
export type Goal = components['schemas']['Goal']
export type Plan = components['schemas']['Plan']

export const api = createClient<paths>({ baseUrl: '', fetch: (request) => ask(request) })

/** A problem document (RFC 9457) that the service answered with. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    detail: string,
  ) {
    super(detail)
  }
}

type Refusal = { detail?: string; errors?: { location?: string; message?: string }[] | null }
export type Answer<T> = { data?: T; error?: Refusal; response: Response }

/** What a problem says, with what is wrong of each field where its detail does not tell. */
const told = (refusal: Refusal | undefined, otherwise: string) => {
  const detail = refusal?.detail ?? otherwise
  const fields = (refusal?.errors ?? []).filter((e) => e.message && !detail.includes(e.message))
  return [detail, ...fields.map((e) => `${e.location?.replace(/^body\./, '')}: ${e.message}`)].join('; ')
}

/** Gives the data of an answer, or throws its problem. */
export const take = async <T>(answer: Promise<Answer<T>>): Promise<T> => (await taken(answer)).data

async function taken<T>(answer: Promise<Answer<T>>): Promise<{ data: T; response: Response }> {
  const { data, error, response } = await answer.catch((e: unknown) => {
    throw e instanceof TypeError ? new Error('The service cannot be reached. Nothing was changed.') : e
  })
  if (!response.ok) throw new Problem(response.status, told(error, response.statusText))
  return { data: data as T, response }
}

/** A thing with the tag of its state; empty: others have changed something since. */
export type Tagged<T> = { data: T; tag: string }

/** Gives a thing with the tag of its state, or throws the problem of its answer. */
export async function takeTagged<T>(answer: Promise<Answer<T>>): Promise<Tagged<T>> {
  const { data, response } = await taken(answer)
  return { data, tag: response.headers.get('ETag') ?? '' }
}

/** Under what a thing is saved: that it is as it was seen, or that nothing has its name yet. */
export type Precondition = { 'If-Match'?: string; 'If-None-Match'?: '*' }

/** A page of a list, with the cursor of the next one; none: it is the last. */
export type Page<T> = { list: T[]; next: string | undefined }

/** Gives a page of a list, or throws the problem of its answer. */
export async function takePage<T>(answer: Promise<Answer<T[]>>): Promise<Page<T>> {
  const { data, response } = await taken(answer)
  const address = /^<[^>?]*\?([^>]*)>; rel="next"/.exec(response.headers.get('Link') ?? '')?.[1]
  return { list: data, next: new URLSearchParams(address).get('cursor') ?? undefined }
}

export const pathOf = (s: { device: string; name: string }) => `${s.device}/${s.name}`
