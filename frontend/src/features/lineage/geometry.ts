/** Where the lanes, the wires between them and their labels lie. Pure: numbers in, numbers out; all in pixels. */

/** The width of the middle panel, of the lanes on either side, on a trail of all lanes, and of a strip of folded ones. */
export const HERE = 282
export const LANE = { least: 148, most: 236 }
export const ON_TRAIL = { least: 142, most: 264 }
export const FOLDED = 34
/** How much of a gutter there is beside a strip. */
const BESIDE = 0.5
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

/** What stands in one place of the road: a lane, the panel of what is here, or a strip of folded lanes. */
export interface Station {
  offsets: number[]
  kind: 'lane' | 'panel' | 'strip'
}

/** The stations of a road. folded: the offsets of lanes that are; panel: whether what is here has all its facts. */
export function stationsOf(offsets: number[], folded: Set<number>, panel: boolean): Station[] {
  const found: Station[] = []
  for (const offset of offsets) {
    const last = found.at(-1)
    if (folded.has(offset)) {
      if (last?.kind === 'strip') last.offsets.push(offset)
      else found.push({ offsets: [offset], kind: 'strip' })
    } else found.push({ offsets: [offset], kind: offset === 0 && panel ? 'panel' : 'lane' })
  }
  return found
}

/** The space between two stations that stand side by side. */
function between(one: Station, other: Station, gutter: number): number {
  return one.kind === 'strip' || other.kind === 'strip' ? gutter * BESIDE : gutter
}

/** Whether so many open lanes and strips find room beside one another. panel: whether one of them has all its facts. */
export function roomFor(
  open: number,
  strips: number,
  width: number,
  gutter: number,
  panel = false,
): boolean {
  const gutters = (open - 1 - strips) * gutter + 2 * strips * gutter * BESIDE
  const lanes = open * ON_TRAIL.least + (panel ? HERE - ON_TRAIL.least : 0)
  return 2 * PAD + lanes + strips * FOLDED + gutters <= width
}

/** Lay stations side by side: lanes as wide as there is room for, all in the middle where there is more. */
export function placeStations(
  stations: Station[],
  width: number,
  gutter: number,
  lane: { least: number; most: number },
): Column[] {
  const kinds = stations.map((one) => one.kind)
  const lanes = kinds.filter((kind) => kind === 'lane').length
  let taken = 2 * PAD
  for (const kind of kinds) taken += kind === 'panel' ? HERE : kind === 'strip' ? FOLDED : 0
  stations.slice(1).forEach((one, i) => {
    taken += between(stations[i] as Station, one, gutter)
  })
  const free = Math.floor((width - taken) / Math.max(1, lanes))
  const size = lanes ? Math.max(lane.least, Math.min(lane.most, free)) : 0
  let x = PAD + Math.max(0, (width - taken - lanes * size) / 2)
  return stations.map((one, i) => {
    const own = one.kind === 'panel' ? HERE : one.kind === 'strip' ? FOLDED : size
    const left = x
    const next = stations[i + 1]
    x += own + (next ? between(one, next, gutter) : 0)
    return { offset: one.offsets[0] ?? 0, left, width: own, right: left + own }
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
    const out = Math.max(x1, x2) + 20
    return `M${x1} ${y1}C${out} ${y1} ${out} ${y2} ${x2} ${y2}`
  }
  const bend = (x2 - x1) / 2
  return `M${x1} ${y1}C${x1 + bend} ${y1} ${x2 - bend} ${y2} ${x2} ${y2}`
}

/** How high the rails are that take what goes past lanes below them. */
export const RAIL = { first: 9, apart: 5, most: 8 }

/** A line that goes past lanes: down to a rail under them, along it, and up again. */
export function railPath(x1: number, y1: number, x2: number, y2: number, rail: number): string {
  const out = Math.min(30, (x2 - x1) / 3)
  return (
    `M${x1} ${y1}C${x1 + out / 2} ${y1} ${x1 + out / 2} ${rail} ${x1 + out} ${rail}` +
    `H${x2 - out}C${x2 - out / 2} ${rail} ${x2 - out / 2} ${y2} ${x2} ${y2}`
  )
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
