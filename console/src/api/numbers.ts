/** How the person who looks writes the decimal sign. */
export const decimalSign =
  new Intl.NumberFormat(navigator.language).formatToParts(0.5).find((p) => p.type === 'decimal')?.value ?? '.'

export type Written = { value?: number; wrong?: string } // neither of them: nothing is written yet

const plain = /^[-+]?(\d+([.,]\d*)?|[.,]\d+)(e[-+]?\d+)?$/i
const grouped = /^[-+]?[1-9]\d{0,2}[.,]\d{3}$/

/** Reads a number as people write it. Both decimal signs are understood; where the other one could as well part
 *  thousands, it is refused rather than guessed. */
export function readNumber(text: string, sign = decimalSign): Written {
  const said = text.replace(/[\s\u00a0\u202f]/g, '').replace('\u2212', '-')
  if (said === '') return {}
  if (!plain.test(said)) return { wrong: `“${text.trim()}” is no number.` }
  if (grouped.test(said) && !said.includes(sign))
    return { wrong: `Write ${said.replace(/[.,]/, '')} or ${said.replace(/[.,](\d)\d*$/, `${sign}$1`)}.` }
  const value = Number(said.replace(',', '.'))
  return Number.isFinite(value) ? { value } : { wrong: `${said} is too large.` }
}

/** Writes a number with all its digits, without what the change of a unit leaves behind its 12th. */
export function writeNumber(value: number | null | undefined, sign = decimalSign) {
  if (value == null || Number.isNaN(value)) return ''
  return String(Number(value.toPrecision(12))).replace('.', sign)
}

/** The next number up or down by a step, with no more places than the step and the number have. */
export function stepBy(value: number, step: number) {
  const places = Math.max(placesOf(value), placesOf(step))
  return Number((value + step).toFixed(Math.min(places, 12)))
}

const placesOf = (n: number) => /\.(\d+)$/.exec(String(n))?.[1]!.length ?? 0
