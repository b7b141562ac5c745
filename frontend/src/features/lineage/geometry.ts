/** Where the lanes, the wires between them and their labels lie. Pure: numbers in, numbers out; all in pixels. */

/** The width of the middle panel, and of the lanes on either side. */
export const HERE = 282
export const LANE = { least: 148, most: 236 }
/** The space at either end. */
export const PAD = 20
/** Where the first row of a lane stands, and how much a filter above the rows takes. */
export const TITLE_Y = 43
export const FILTER = { height: 29, from: 8 }
/** What says how much lies beyond the outermost lane. */
export const STRIP = 54
/** Labels closer than this cover each other. */
export const LABEL = 30

export interface Column {
  offset: number
  left: number
  right: number
  width: number
}

/** A place where a wire begins or ends. hidden: it is scrolled out of sight, and stands at the edge instead. */
export interface Anchor {
  lane: number
  y: number
  hidden: boolean
}

/** Lay lanes side by side: as wide as there is room for, in the middle where there is more. */
export function placeColumns(offsets: number[], width: number, gutter: number): Column[] {
  const side = offsets.length - 1
  const free = width - 2 * PAD - HERE - side * gutter
  const lane = side > 0 ? Math.max(LANE.least, Math.min(LANE.most, Math.floor(free / side))) : 0
  const total = 2 * PAD + HERE + side * (lane + gutter)
  let x = PAD + Math.max(0, (width - total) / 2)
  return offsets.map((offset) => {
    const size = offset === 0 ? HERE : lane
    const left = x
    x += size + gutter
    return { offset, left, width: size, right: left + size }
  })
}

/** Return how wide all lanes are together, and at least as wide as what shows them. */
export function canvasWidth(columns: Column[], width: number): number {
  return Math.max(width, (columns.at(-1)?.right ?? 0) + PAD)
}

/** Keep a place between two edges; what lies outside is hidden and stands at the nearer one. */
export function held(lane: number, y: number, top: number, bottom: number): Anchor {
  const at = Math.max(top, Math.min(bottom, y))
  return { lane, y: at, hidden: at !== y }
}

/** Where a wire leaves one lane and enters another; within a lane, and backwards, it enters from the right. */
export function wireEnds(from: Column, to: Column): { x1: number; x2: number } {
  return { x1: from.right + 3, x2: to.left > from.left ? to.left - 3 : to.right + 3 }
}

/** A smooth line from right to left side; within one lane it bulges into the gutter. */
export function wirePath(x1: number, y1: number, x2: number, y2: number): string {
  if (x2 <= x1) {
    const out = Math.max(x1, x2) + 26
    return `M${x1} ${y1}C${out} ${y1} ${out} ${y2} ${x2} ${y2}`
  }
  const bend = (x2 - x1) / 2
  return `M${x1} ${y1}C${x1 + bend} ${y1} ${x2 - bend} ${y2} ${x2} ${y2}`
}

/** The head of a condition's arrow. */
export function arrowHead(x: number, y: number, leftwards: boolean): string {
  return leftwards ? `M${x + 4} ${y - 3.5}v7l-5-3.500z` : `M${x - 4} ${y - 3.5}v7l5-3.500z`
}

/** Push labels apart from top to bottom, so that none covers another. */
export function apart<T extends { y: number }>(labels: T[], distance: number): T[] {
  const sorted = [...labels].sort((a, b) => a.y - b.y)
  let last = -Infinity
  return sorted.map((label) => {
    const y = Math.max(label.y, last + distance)
    last = y
    return { ...label, y }
  })
}

/** How many lanes lie out of sight on either side. */
export function outOfSight(
  columns: Column[],
  left: number,
  width: number,
): { upstream: number; downstream: number } {
  const middle = (one: Column) => one.left + one.width / 2
  return {
    upstream: columns.filter((one) => middle(one) < left).length,
    downstream: columns.filter((one) => middle(one) > left + width).length,
  }
}
