import { computed, type Ref } from 'vue'
import { canvasWidth as widthOf, placeColumns } from './geometry'
import { layLane, type LaneLayout } from './layout'
import type { LineageState } from './useLineage'

/** The lanes, each with its rows, and where they stand beside one another. */
export function useColumns(state: LineageState, width: Ref<number>) {
  const trail = computed(() => (state.map.data.value?.fields.length ?? 0) > 0)
  const lanes = computed<LaneLayout[]>(() => {
    const found = state.map.data.value?.lanes ?? []
    return found.map((lane) =>
      layLane(lane.offset, lane.offset === 0 ? [] : lane.datasets, lane.total, {
        detail: state.detail.value,
        unfolded: state.unfolded,
        closed: state.closed,
        trail: trail.value,
      }),
    )
  })
  const gutter = computed(() => (trail.value ? 104 : 78))
  const columns = computed(() =>
    placeColumns(
      lanes.value.map((lane) => lane.offset),
      width.value,
      gutter.value,
    ),
  )
  const canvasWidth = computed(() => widthOf(columns.value, width.value))
  return { canvasWidth, columns, gutter, lanes, trail }
}
