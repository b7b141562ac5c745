import { computed, reactive, ref, type Ref, type ShallowRef } from 'vue'
import type { Beyond } from '@/api/client'
import { FILTER, STRIP, TITLE_Y, held, type Anchor } from './geometry'
import { placesIn, type LaneLayout } from './layout'
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
      if (lane.offset === 0) return
      const filtered = lane.total > FILTER.from || state.filters.get(lane.offset)
      const top = TITLE_Y + (filtered ? FILTER.height : 0)
      const shift = top - (scrolls.get(lane.offset) ?? 0)
      const bottom = size.height.value - (strip(lane.offset, index) ? STRIP : 6)
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
    if (middle >= 0 && shown && facts) {
      const place = shown.place()
      for (const [id, i] of place.index) {
        const y = place.top + i * shown.rowHeight + shown.rowHeight / 2 - hereScroll.value
        fields.set(id, held(middle, y, place.top, place.bottom))
      }
      datasets.set(facts.id, { lane: middle, y: 52, hidden: false })
    }
    return { fields, datasets, folds }
  })

  function anchorOf(dataset: number, field: number | null): Anchor | undefined {
    const { fields, datasets, folds } = anchors.value
    if (field === null || state.detail.value === 'datasets') return datasets.get(dataset)
    return fields.get(field) ?? folds.get(dataset) ?? datasets.get(dataset)
  }

  return { anchorOf, anchors, hereScroll, scrolls, strip }
}
