/** A table of what a chart shows: its heads, and rows of texts and numbers. */
export type Rows = { heads: string[]; rows: (string | number | null)[][] }

function give(blob: Blob, name: string) {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = name
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000)
}

const fileName = (title: string, kind: string) =>
  `${title.toLowerCase().replace(/[^a-z0-9]+/g, '-') || 'chart'}.${kind}`

/** A field of CSV (RFC 4180). Text that a spreadsheet would take for a formula is kept text. */
function field(v: string | number | null) {
  if (v === null) return ''
  if (typeof v === 'number') return String(v)
  const text = /^[=+\-@\t\r]/.test(v) ? `'${v}` : v
  return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text
}

export function saveCSV(title: string, { heads, rows }: Rows) {
  const text = [heads, ...rows].map((r) => r.map(field).join(',')).join('\r\n') + '\r\n'
  give(new Blob([text], { type: 'text/csv' }), fileName(title, 'csv'))
}

export const saveSVG = (title: string, svg: string) =>
  give(new Blob([svg], { type: 'image/svg+xml' }), fileName(title, 'svg'))

/** Saves a drawing as a picture of twice its size. */
export async function savePNG(title: string, svg: string, width: number, height: number) {
  const image = new Image()
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`
  await image.decode()
  const canvas = document.createElement('canvas')
  canvas.width = 2 * width
  canvas.height = 2 * height
  canvas.getContext('2d')!.drawImage(image, 0, 0, 2 * width, 2 * height)
  const blob = await new Promise<Blob | null>((done) => canvas.toBlob(done, 'image/png'))
  if (blob) give(blob, fileName(title, 'png'))
}

/** An SVG element of the page as a file of its own: its tokens and fonts written out. */
export function standalone(element: SVGSVGElement, title: string) {
  const copy = element.cloneNode(true) as SVGSVGElement
  const { width, height } = element.getBoundingClientRect()
  copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg')
  copy.setAttribute('width', String(width))
  copy.setAttribute('height', String(height))
  const from = element.querySelectorAll<SVGElement>('*')
  copy.querySelectorAll<SVGElement>('*').forEach((e, i) => {
    const style = getComputedStyle(from[i]!)
    for (const name of ['fill', 'stroke', 'stroke-width', 'opacity', 'font-size', 'font-weight', 'text-anchor'])
      e.setAttribute(name, style.getPropertyValue(name))
    e.setAttribute('font-family', 'sans-serif')
    e.removeAttribute('class')
    e.removeAttribute('style')
  })
  const head = document.createElementNS('http://www.w3.org/2000/svg', 'title')
  head.textContent = title
  copy.prepend(head)
  const paper = document.createElementNS('http://www.w3.org/2000/svg', 'rect')
  paper.setAttribute('width', '100%')
  paper.setAttribute('height', '100%')
  paper.setAttribute('fill', getComputedStyle(document.documentElement).getPropertyValue('--surface').trim())
  copy.prepend(paper)
  return { svg: new XMLSerializer().serializeToString(copy), width, height }
}
