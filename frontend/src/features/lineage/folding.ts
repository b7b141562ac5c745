import type { LineageMap } from '@/api/client'

/** How much happens in each lane of a trail: how many values come into it changed, and whether a road ends there. */
export interface LaneDoes {
  offset: number
  changes: number
  ends: boolean
}

/** What the lanes of a trail do with the values that come into them. */
export function doings(map: LineageMap): LaneDoes[] {
  const laneOf = new Map<number, number>()
  for (const lane of map.lanes) for (const one of lane.datasets) laneOf.set(one.id, lane.offset)
  const changes = new Map<number, Set<number>>()
  const fed = new Set<number>()
  const feeding = new Set<number>()
  for (const link of map.crossings) {
    if (link.kind !== 'value' || link.target_field === null) continue
    fed.add(link.target_dataset)
    feeding.add(link.source_dataset)
    const lane = laneOf.get(link.target_dataset)
    if (link.how === 'identity' || lane === undefined) continue
    const known = changes.get(lane) ?? new Set()
    changes.set(lane, known.add(link.target_field))
  }
  for (const one of map.bundles) {
    fed.add(one.target_dataset)
    feeding.add(one.source_dataset)
    const lane = laneOf.get(one.target_dataset)
    // What is only summed up may change on its way.
    if (lane !== undefined)
      changes.set(lane, (changes.get(lane) ?? new Set()).add(-one.target_dataset))
  }
  return map.lanes.map((lane) => ({
    offset: lane.offset,
    changes: changes.get(lane.offset)?.size ?? 0,
    ends: lane.datasets.some((one) => !fed.has(one.id) || !feeding.has(one.id)),
  }))
}

/** What a person has opened or folded by hand. */
export interface ByHand {
  open: Set<number>
  folded: Set<number>
}

/**
 * Which lanes of a trail are folded: those that only pass values on; and where there is no room for the rest, those
 * in which least happens, the furthest first. The ends, what is here and what was opened by hand stay open.
 *
 * fits: whether the lanes find room with so many of them open, and the others in so many strips.
 */
export function foldedLanes(
  does: LaneDoes[],
  byHand: ByHand,
  fits: (open: number, strips: number) => boolean,
): Set<number> {
  const first = does[0]?.offset
  const last = does.at(-1)?.offset
  const may = (one: LaneDoes) => one.offset !== 0 && one.offset !== first && one.offset !== last
  const folded = new Set(
    does.filter((one) => may(one) && !one.changes && !one.ends).map((one) => one.offset),
  )
  for (const offset of byHand.folded) {
    const one = does.find((lane) => lane.offset === offset)
    if (one && may(one)) folded.add(offset)
  }
  const left = does
    .filter((one) => may(one) && !folded.has(one.offset))
    .sort(
      (a, b) =>
        Number(a.ends) - Number(b.ends) ||
        a.changes - b.changes ||
        Math.abs(b.offset) - Math.abs(a.offset),
    )
  while (left.length && !fits(does.length - folded.size, runs(does, folded).length)) {
    folded.add((left.shift() as LaneDoes).offset)
  }
  // What was opened by hand folds nothing else: then there is more than fits, and one goes along it.
  for (const offset of byHand.open) folded.delete(offset)
  return folded
}

/** Lanes that stand as one strip, and how many values change on the way through them. */
export interface Strip {
  offsets: number[]
  changes: number
}

/** The strips that folded lanes make: those side by side are one. */
export function runs(does: LaneDoes[], folded: Set<number>): Strip[] {
  const found: Strip[] = []
  let before = false
  for (const one of does) {
    const is = folded.has(one.offset)
    const last = found.at(-1)
    if (is && before && last) {
      last.offsets.push(one.offset)
      last.changes += one.changes
    } else if (is) found.push({ offsets: [one.offset], changes: one.changes })
    before = is
  }
  return found
}

/** What stands on a strip. */
export function stripWords(strip: Strip): string {
  const lanes = strip.offsets.length
  const what = strip.changes
    ? `${strip.changes} change${strip.changes === 1 ? '' : 's'}`
    : 'unchanged'
  return `${lanes} lane${lanes === 1 ? '' : 's'}, ${what}`
}
