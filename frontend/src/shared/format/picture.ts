/**
 * Pictures of what is shown: what stands on the screen is written as SVG, text as text and lines as lines, so that
 * it can be put into a document and worked on there; and drawn as PNG.
 */

const SVG = 'http://www.w3.org/2000/svg'
/** What of the look of a drawing does not stand in its own attributes. */
const DRAWN = [
  'fill',
  'fill-opacity',
  'stroke',
  'stroke-width',
  'stroke-dasharray',
  'stroke-linecap',
  'stroke-opacity',
  'opacity',
  'font-family',
  'font-size',
  'font-weight',
  'text-anchor',
  'paint-order',
]
const CLEAR = new Set(['rgba(0, 0, 0, 0)', 'transparent'])
const MARGIN = 16
const HEAD = 34
/** Pixels: a picture that is taller is cut. */
const MOST = 12_000

interface Frame {
  left: number
  top: number
  right: number
  bottom: number
}

/** An element as SVG, from its top to its end, with a title and the time. */
export function pictureOf(element: Element, title: string, now = new Date()): string {
  const stood = element.scrollTop
  element.scrollTop = 0
  const box = element.getBoundingClientRect()
  const tall = Math.min(MOST, Math.max(box.height, element.scrollHeight))
  const frame = { left: box.left, top: box.top, right: box.right, bottom: box.top + tall }
  const body: string[] = []
  drawInside(element, getComputedStyle(element), frame, frame, body)
  element.scrollTop = stood
  const width = Math.ceil(box.width) + 2 * MARGIN
  const height = Math.ceil(tall) + 2 * MARGIN + HEAD
  const { color, fontFamily } = getComputedStyle(element)
  const paper = getComputedStyle(document.body).backgroundColor
  const time = now.toLocaleString(undefined, { timeZoneName: 'short' })
  const font = `font-family="${quoted(fontFamily)}" fill="${color}"`
  return [
    `<svg xmlns="${SVG}" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}">`,
    `<title>${escaped(title)}</title>`,
    `<rect width="${width}" height="${height}" fill="${CLEAR.has(paper) ? '#fff' : paper}"/>`,
    `<text x="${MARGIN}" y="${MARGIN + 10}" font-size="14" font-weight="600" ${font}>${escaped(title)}</text>`,
    `<text x="${width - MARGIN}" y="${MARGIN + 10}" font-size="11" text-anchor="end" opacity="0.7" ${font}>${escaped(time)}</text>`,
    `<g transform="translate(${MARGIN} ${MARGIN + HEAD})">`,
    ...body,
    '</g></svg>',
  ].join('\n')
}

function draw(element: Element, frame: Frame, seen: Frame, into: string[]) {
  const look = getComputedStyle(element)
  if (look.display === 'none' || look.visibility === 'hidden' || Number(look.opacity) === 0) return
  const box = element.getBoundingClientRect()
  const inView =
    box.right > seen.left && box.left < seen.right && box.bottom > seen.top && box.top < seen.bottom
  if (element instanceof SVGSVGElement) {
    if (inView) into.push(drawing(element, box, frame))
    return
  }
  if (inView && box.width && box.height) into.push(...sheet(look, box, frame))
  const clips = look.overflow !== 'visible' || look.overflowX !== 'visible'
  drawInside(element, look, frame, clips ? common(seen, box) : seen, into)
  if (element instanceof HTMLInputElement && element.value && inView) {
    into.push(line(element.value, box.left, box.bottom - 6, look, frame))
  }
}

function drawInside(
  element: Element,
  look: CSSStyleDeclaration,
  frame: Frame,
  seen: Frame,
  into: string[],
) {
  // What stands above the others covers them.
  const above: Element[] = []
  for (const child of element.childNodes) {
    if (child instanceof Text) into.push(...words(child, look, frame, seen))
    else if (child instanceof Element) {
      const { position, zIndex } = getComputedStyle(child)
      if (position === 'sticky' || Number(zIndex) > 0) above.push(child)
      else draw(child, frame, seen, into)
    }
  }
  for (const child of above) draw(child, frame, seen, into)
}

function common(one: Frame, other: Frame): Frame {
  return {
    left: Math.max(one.left, other.left),
    top: Math.max(one.top, other.top),
    right: Math.min(one.right, other.right),
    bottom: Math.min(one.bottom, other.bottom),
  }
}

/** The ground and the borders of an element. */
function sheet(look: CSSStyleDeclaration, box: DOMRect, frame: Frame): string[] {
  const [x, y] = [round(box.left - frame.left), round(box.top - frame.top)]
  const [w, h] = [round(box.width), round(box.height)]
  const found: string[] = []
  if (!CLEAR.has(look.backgroundColor)) {
    const radius = Number.parseFloat(look.borderRadius) || 0
    found.push(
      `<rect x="${x}" y="${y}" width="${w}" height="${h}" rx="${radius}" fill="${look.backgroundColor}"/>`,
    )
  }
  const ends = {
    Top: [x, y, x + w, y],
    Right: [x + w, y, x + w, y + h],
    Bottom: [x, y + h, x + w, y + h],
    Left: [x, y, x, y + h],
  }
  for (const [side, [x1, y1, x2, y2]] of Object.entries(ends)) {
    const width = Number.parseFloat(look.getPropertyValue(`border-${side.toLowerCase()}-width`))
    const color = look.getPropertyValue(`border-${side.toLowerCase()}-color`)
    const style = look.getPropertyValue(`border-${side.toLowerCase()}-style`)
    if (!width || style === 'none' || CLEAR.has(color)) continue
    found.push(
      `<line x1="${x1}" y1="${y1}" x2="${x2}" y2="${y2}" stroke="${color}" stroke-width="${width}"/>`,
    )
  }
  return found
}

/** A drawing as it is, with its look written into it. */
function drawing(element: SVGSVGElement, box: DOMRect, frame: Frame): string {
  const copy = element.cloneNode(true) as SVGSVGElement
  const originals = [element, ...element.querySelectorAll('*')]
  const copies = [copy, ...copy.querySelectorAll('*')]
  originals.forEach((one, n) => {
    const look = getComputedStyle(one)
    const to = copies[n]
    if (!to) return
    for (const name of DRAWN) to.setAttribute(name, look.getPropertyValue(name))
    to.removeAttribute('class')
    to.removeAttribute('style')
    for (const { name } of [...to.attributes])
      if (name.startsWith('data-')) to.removeAttribute(name)
  })
  copy.setAttribute('x', String(round(box.left - frame.left)))
  copy.setAttribute('y', String(round(box.top - frame.top)))
  copy.setAttribute('width', String(round(box.width)))
  copy.setAttribute('height', String(round(box.height)))
  return new XMLSerializer().serializeToString(copy)
}

/** The words of a text, line by line as they stand. */
function words(text: Text, look: CSSStyleDeclaration, frame: Frame, seen: Frame): string[] {
  const written = text.data
  if (!written.trim()) return []
  const range = document.createRange()
  const found: string[] = []
  let from = 0
  let top: number | null = null
  let last: DOMRect | null = null
  const put = (until: number) => {
    const part = written.slice(from, until).replace(/\s+/g, ' ')
    if (!part.trim()) return
    range.setStart(text, from)
    range.setEnd(text, until)
    const box = range.getBoundingClientRect()
    const middle = (box.top + box.bottom) / 2
    if (
      middle < seen.top ||
      middle > seen.bottom ||
      box.left >= seen.right ||
      box.right <= seen.left
    )
      return
    const fits = box.right <= seen.right + 1 ? part : cut(part, box, seen)
    const wide = fits === part ? box.width : seen.right - box.left
    found.push(line(fits, box.left, box.bottom - box.height * 0.24, look, frame, wide))
  }
  for (let n = 0; n < written.length; n += 1) {
    if (/\s/.test(written[n] ?? '')) continue
    range.setStart(text, n)
    range.setEnd(text, n + 1)
    last = range.getBoundingClientRect()
    if (top !== null && last.top > top + last.height / 2) {
      put(n)
      from = n
    }
    if (top === null || last.top > top) top = last.top
  }
  put(written.length)
  return found
}

/** As much of a line as can be seen. */
function cut(part: string, box: DOMRect, seen: Frame): string {
  const share = (seen.right - box.left) / box.width
  return `${part.slice(0, Math.max(1, Math.floor(part.length * share) - 1)).trimEnd()}…`
}

/** wide: how wide it stands on the screen, so that it keeps its place where the font is another one. */
function line(
  written: string,
  x: number,
  y: number,
  look: CSSStyleDeclaration,
  frame: Frame,
  wide?: number,
): string {
  const attributes = [
    `x="${round(x - frame.left)}"`,
    `y="${round(y - frame.top)}"`,
    `font-family="${quoted(look.fontFamily)}"`,
    `font-size="${look.fontSize}"`,
    `font-weight="${look.fontWeight}"`,
    `fill="${look.color}"`,
    ...(wide ? [`textLength="${round(wide)}"`] : []),
  ]
  return `<text ${attributes.join(' ')} xml:space="preserve">${escaped(written)}</text>`
}

const round = (value: number) => Math.round(value * 10) / 10

function escaped(text: string): string {
  return text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;')
}
const quoted = (text: string) => escaped(text).replace(/"/g, "'")

/** The fonts that are in use, as part of a picture: what draws a picture by itself has none of the page's. */
async function fonts(): Promise<string> {
  const rules = [...document.styleSheets]
    .flatMap((one) => [...one.cssRules])
    .filter((rule): rule is CSSFontFaceRule => rule instanceof CSSFontFaceRule)
  const used = rules.filter(
    (rule) => rule.cssText.includes('latin-') && !rule.cssText.includes('-ext'),
  )
  const found = await Promise.all(
    used.map(async (rule) => {
      const address = /url\("([^"]+\.woff2)"\)/.exec(rule.cssText)?.[1]
      if (!address) return ''
      const bytes = new Uint8Array(await (await fetch(address)).arrayBuffer())
      const data = btoa(Array.from(bytes, (one) => String.fromCharCode(one)).join(''))
      const { style } = rule
      return `@font-face{font-family:${style.getPropertyValue('font-family')};font-weight:${style.getPropertyValue('font-weight')};src:url(data:font/woff2;base64,${data})}`
    }),
  )
  return found.join('')
}

/** Draw a picture as PNG, at twice the size so that it can be read on paper. */
export async function drawnAsPng(picture: string, scale = 2): Promise<Blob> {
  const size = /width="(\d+)" height="(\d+)"/.exec(picture)
  const whole = picture.replace('<title>', `<style>${await fonts()}</style><title>`)
  const image = new Image()
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(whole)}`
  await image.decode()
  const canvas = document.createElement('canvas')
  canvas.width = Number(size?.[1] ?? 0) * scale
  canvas.height = Number(size?.[2] ?? 0) * scale
  canvas.getContext('2d')?.drawImage(image, 0, 0, canvas.width, canvas.height)
  return new Promise((resolve, reject) => {
    canvas.toBlob(
      (blob) => (blob ? resolve(blob) : reject(new Error('The picture could not be drawn.'))),
      'image/png',
    )
  })
}

/** Hand a file to the person. */
export function handOver(content: Blob, name: string) {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(content)
  link.download = name
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000)
}
