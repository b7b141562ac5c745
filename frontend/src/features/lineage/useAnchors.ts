import { computed, reactive, ref, type Ref, type ShallowRef } from 'vue'
import type { Beyond } from '@/api/client'
import { FILTER, STRIP, TITLE_Y, held, type Anchor } from './geometry'
import { laneNumbers, placesIn, type LaneLayout } from './layout'
import type { LineageState } from './useLineage'

/** The panel in the middle, which is measured rather than laid out. */
export interface Measured {
  place: () => { top: number; bottom: number; index: Map<number, number> }
  rowHeight: number
  reveal: (field: number) => void
}

/** Where the wires of each field and dataset begin and end, as far as the lanes are scrolled. */
export function useAnchors(
  state: LineageState,
  lanes: Ref<LaneLayout[]>,
  size: { width: Ref<number>; height: Ref<number> },
  here: ShallowRef<Measured | null>,
  road: { folded: Ref<Set<number>>; panel: Ref<boolean>; rails: Ref<number> },
) {
  const scrolls = reactive(new Map<number, number>())
  const hereScroll = ref(0)

  /** What lies beyond the outermost lane, if anything. */
  function strip(offset: number, index: number): Beyond | null {
    const found = state.map.data.value
    if (!found || found.fields.length) return null
    const outermost =
      index === 0 ? found.upstream : index === lanes.value.length - 1 ? found.downstream : null
    return outermost && outermost.hops > 0 && offset !== 0 ? outermost : null
  }

  const anchors = computed(() => {
    const facts = state.facts.data.value
    // The panel in the middle is measured; reading these makes this follow what moves it.
    void [hereScroll.value, size.height.value, facts, size.width.value]
    const fields = new Map<number, Anchor>()
    const datasets = new Map<number, Anchor>()
    const folds = new Map<number, Anchor>()
    lanes.value.forEach((lane, index) => {
      if ((lane.offset === 0 && road.panel.value) || road.folded.value.has(lane.offset)) return
      const filtered = lane.total > FILTER.from || state.filters.get(lane.offset)
      const top = TITLE_Y + (filtered ? FILTER.height : 0)
      const shift = top - (scrolls.get(lane.offset) ?? 0)
      const bottom = size.height.value - (strip(lane.offset, index) ? STRIP : 6) - road.rails.value
      const places = placesIn(lane)
      const pairs = [
        [places.fields, fields],
        [places.datasets, datasets],
        [places.folds, folds],
      ] as const
      for (const [from, into] of pairs) {
        for (const [id, y] of from) into.set(id, held(index, y + shift, top - 4, bottom))
      }
    })
    const middle = lanes.value.findIndex((lane) => lane.offset === 0)
    const shown = here.value
    if (middle >= 0 && shown && facts && road.panel.value) {
      const place = shown.place()
      for (const [id, i] of place.index) {
        const y = place.top + i * shown.rowHeight + shown.rowHeight / 2 - hereScroll.value
        fields.set(id, held(middle, y, place.top, place.bottom))
      }
      datasets.set(facts.id, { lane: middle, y: 52, hidden: false })
    }
    carryThrough(fields)
    return { fields, datasets, folds }
  })

  /** In a strip each value stays at the height at which it comes in, or else at which it goes out. */
  function carryThrough(fields: Map<number, Anchor>) {
    const map = state.map.data.value
    if (!map || !road.folded.value.size) return
    const laneOf = laneNumbers(map)
    const values = map.crossings.filter(
      (link) => link.kind === 'value' && link.target_field !== null,
    )
    const isFolded = (dataset: number) => {
      const lane = map.lanes[laneOf.get(dataset) ?? -1]
      return lane !== undefined && road.folded.value.has(lane.offset)
    }
    // Lanes come in order, so that what comes in is known before what it leads to.
    const inOrder = [...values].sort(
      (a, b) => (laneOf.get(a.target_dataset) ?? 0) - (laneOf.get(b.target_dataset) ?? 0),
    )
    for (const link of inOrder) {
      const target = link.target_field as number
      const from = fields.get(link.source_field)
      if (from && isFolded(link.target_dataset) && !fields.has(target)) {
        fields.set(target, { ...from, lane: laneOf.get(link.target_dataset) ?? 0 })
      }
    }
    for (const link of inOrder.reverse()) {
      const to = fields.get(link.target_field as number)
      if (to && isFolded(link.source_dataset) && !fields.has(link.source_field)) {
        fields.set(link.source_field, { ...to, lane: laneOf.get(link.source_dataset) ?? 0 })
      }
    }
  }

  function anchorOf(dataset: number, field: number | null): Anchor | undefined {
    const { fields, datasets, folds } = anchors.value
    if (field === null || state.detail.value === 'datasets') return datasets.get(dataset)
    return fields.get(field) ?? folds.get(dataset) ?? datasets.get(dataset)
  }

  return { anchorOf, anchors, hereScroll, scrolls, strip }
}
