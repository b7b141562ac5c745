import { computed, type ComputedRef, type Ref } from 'vue'
import type { Anchor } from './geometry'
import type { LaneLayout } from './layout'
import type { LineageState } from './useLineage'

/** A place that the arrow keys stop at: a dataset's title, or one of its fields. */
export interface Stop {
  key: string
  field: number | null
  dataset: number
  y: number
}

/** What may be walked with the arrows: per lane, from top to bottom. */
export function useStops(
  state: LineageState,
  lanes: Ref<LaneLayout[]>,
  anchors: Ref<{ fields: Map<number, Anchor> }>,
  road: { folded: Ref<Set<number>>; panel: Ref<boolean> },
): ComputedRef<Stop[][]> {
  return computed(() =>
    lanes.value.map((lane) => {
      if (road.folded.value.has(lane.offset)) return []
      if (lane.offset === 0 && road.panel.value) {
        const facts = state.facts.data.value
        return (facts?.columns ?? []).map((column) => ({
          key: `f${column.id}`,
          field: column.id,
          dataset: facts?.id ?? 0,
          y: anchors.value.fields.get(column.id)?.y ?? 0,
        }))
      }
      return lane.items.flatMap<Stop>((item, i) => {
        if (item.type !== 'card') return []
        const top = lane.tops[i] ?? 0
        const rows = item.rows.map((row) => ({
          key: `f${row.field.id}`,
          field: row.field.id,
          dataset: item.dataset.id,
          y: top + row.top,
        }))
        return [{ key: item.key, field: null, dataset: item.dataset.id, y: top }, ...rows]
      })
    }),
  )
}
