import { computed } from 'vue'
import { RAIL } from './geometry'
import { drawn, laneNumbers, type Line } from './layout'
import type { useColumns } from './useColumns'
import type { LineageState } from './useLineage'

/** What is drawn between lanes, and which of it goes past open ones, on rails below them. */
export function useRails(
  state: LineageState,
  {
    stationOf,
    stations,
    trail,
  }: Pick<ReturnType<typeof useColumns>, 'stationOf' | 'stations' | 'trail'>,
) {
  const links = computed<Line[]>(() => {
    const map = state.map.data.value
    return map ? drawn(map, state.detail.value, state.conditions.value) : []
  })
  const laneOf = computed(() => {
    const map = state.map.data.value
    return map ? laneNumbers(map) : new Map<number, number>()
  })

  /** The stations that a line joins, if it goes past one that is open. */
  function pair(link: Line): string | null {
    const from = stationOf.value[laneOf.value.get(link.source_dataset) ?? -1]
    const to = stationOf.value[laneOf.value.get(link.target_dataset) ?? -1]
    if (!trail.value || from === undefined || to === undefined || to - from < 2) return null
    const past = stations.value.slice(from + 1, to).some((one) => one.kind !== 'strip')
    return past ? `${from}>${to}` : null
  }

  /** Of each two stations that lines join past others, the rail. */
  const rails = computed(() => {
    const found = new Map<string, number>()
    for (const link of links.value) {
      const key = pair(link)
      if (key !== null && !found.has(key)) found.set(key, found.size % RAIL.most)
    }
    return found
  })
  function railOf(link: Line): number | undefined {
    const key = pair(link)
    return key === null ? undefined : rails.value.get(key)
  }
  /** How much room the rails take below the lanes. */
  const room = computed(() => {
    const several = Math.min(rails.value.size, RAIL.most)
    return several ? RAIL.first + several * RAIL.apart : 0
  })
  return { links, railOf, room }
}
