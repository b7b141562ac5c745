import type { LineageMap } from '@/api/client'
import type { Side } from './useAddress'

/** A trail with only one of its sides: the lanes, what is drawn between them, and the steps into them. */
export function oneSide(map: LineageMap, side: Side): LineageMap {
  const stays = (offset: number) => (side === 'upstream' ? offset <= 0 : offset >= 0)
  const lanes = map.lanes.filter((lane) => stays(lane.offset))
  const there = new Set(lanes.flatMap((lane) => lane.datasets.map((one) => one.id)))
  const both = (one: { source_dataset: number; target_dataset: number }) =>
    there.has(one.source_dataset) && there.has(one.target_dataset)
  const places = new Map<number, number>()
  const kept = map.steps.filter((step, n) => {
    // What makes what is here leads to it; what it leads to lies behind it.
    const is = side === 'upstream' ? step.lane <= 0 : step.lane > 0
    if (is) places.set(n, places.size)
    return is
  })
  const steps = kept.map((step) => ({
    ...step,
    fed_by: step.fed_by.flatMap((one) => places.get(one) ?? []),
  }))
  return {
    ...map,
    lanes,
    crossings: map.crossings.filter(both),
    bundles: map.bundles.filter(both),
    steps,
    steps_total: map.steps_total - (map.steps.length - steps.length),
  }
}
