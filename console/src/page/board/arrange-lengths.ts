import { inWords, type Length } from '../../api/words'

/** How far back charts can be told to look. */
export const lengths: Record<string, string> = {
  '1h': 'an hour',
  '6h': '6 hours',
  '24h': 'a day',
  '168h': 'a week',
  '720h': '30 days',
  '8760h': 'a year',
}

/** A length of time as the choices write it: 168h for 7d. */
export const asChosen = (length: Length) =>
  inWords(length)
    .replace(/^(\d+)d$/, (_, days: string) => `${Number(days) * 24}h`)
    .replace(/^(\d+)h0m0s$/, '$1h')
    .replace(/^(\d+)m0s$/, '$1m')

/** The choices, with the one that stands there now if it is none of them. */
export const withOwn = (options: Record<string, string>, value: string) =>
  value in options ? options : { ...options, [value]: value }
