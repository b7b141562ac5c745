import { computed, type Ref } from 'vue'
import { doings, foldedLanes, runs, stripWords } from './folding'
import {
  LANE,
  ON_TRAIL,
  canvasWidth as widthOf,
  placeStations,
  roomFor,
  stationsOf,
  type Column,
} from './geometry'
import { layLane, type LaneLayout } from './layout'
import { operations } from './operations'
import type { LineageState } from './useLineage'

const CHARACTER = 6.65 // the width of one in code at 11 px
const MARGIN = 30 // beside an operation, with the number of its step

/** The lanes, each with its rows, which of them are folded, and where they stand beside one another. */
export function useColumns(state: LineageState, width: Ref<number>) {
  const map = computed(() => state.map.data.value)
  const trail = computed(() => (map.value?.fields.length ?? 0) > 0)
  const gutter = computed(() => (trail.value ? 44 : 78))
  const panel = computed(() => !trail.value || state.panel.value)
  const does = computed(() => (map.value && trail.value ? doings(map.value) : []))
  const folded = computed(() =>
    foldedLanes(does.value, state.byHand.value, (open, strips) =>
      roomFor(open, strips, width.value, gutter.value, panel.value),
    ),
  )
  const strips = computed(() =>
    runs(does.value, folded.value).map((one) => ({ ...one, words: stripWords(one) })),
  )
  const stations = computed(() =>
    stationsOf(map.value?.lanes.map((lane) => lane.offset) ?? [], folded.value, panel.value),
  )
  const placed = computed(() =>
    placeStations(stations.value, width.value, gutter.value, trail.value ? ON_TRAIL : LANE),
  )
  /** Of each lane where it stands; folded ones stand where their strip does. */
  const columns = computed<Column[]>(() =>
    stations.value.flatMap((one, i) =>
      one.offsets.map((offset) => ({ ...(placed.value[i] as Column), offset })),
    ),
  )
  /** Of each lane the number of its station. */
  const stationOf = computed(() => stations.value.flatMap((one, i) => one.offsets.map(() => i)))
  const made = computed(() =>
    map.value && trail.value ? operations(map.value, state.story.data.value) : undefined,
  )
  const characters = computed(() => {
    const open = placed.value.find((_, i) => stations.value[i]?.kind === 'lane')
    return Math.floor(((open?.width ?? ON_TRAIL.least) - MARGIN) / CHARACTER)
  })
  const lanes = computed<LaneLayout[]>(() => {
    const found = map.value?.lanes ?? []
    return found.map((lane) =>
      layLane(lane.offset, lane.offset === 0 && panel.value ? [] : lane.datasets, lane.total, {
        detail: state.detail.value,
        unfolded: state.unfolded,
        closed: state.closed,
        trail: trail.value,
        operations: made.value,
        characters: characters.value,
      }),
    )
  })
  const canvasWidth = computed(() => widthOf(placed.value, width.value))
  return {
    canvasWidth,
    columns,
    does,
    folded,
    gutter,
    lanes,
    panel,
    placed,
    stationOf,
    stations,
    strips,
    trail,
  }
}
