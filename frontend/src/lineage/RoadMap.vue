<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, nextTick, reactive, ref, shallowRef, useTemplateRef, watch } from 'vue'
import type { Beyond, Crossing } from '@/api/client'
import { plural } from '@/humane'
import HerePanel from './HerePanel.vue'
import LaneList from './LaneList.vue'
import {
  apart,
  drawn,
  jobName,
  layLane,
  placesIn,
  shortName,
  wirePath,
  type LaneLayout,
} from './layout'
import type { RoadState } from './useRoad'

const props = defineProps<{ state: RoadState; cursor: string | null }>()

const PAD = 20
const HERE = 282
const LANE = { least: 148, most: 236 }
const TITLE_Y = 43 // where the first row of a lane stands
const STRIP = 54 // what says how much lies beyond
const LABEL = 30 // labels closer than this cover each other

const main = useTemplateRef<HTMLElement>('main')
const here = shallowRef<InstanceType<typeof HerePanel> | null>(null)
const lists = new Map<number, InstanceType<typeof LaneList>>()
const { width, height } = useElementSize(main)
const scrolls = reactive(new Map<number, number>())
const hereScroll = ref(0)
const hovered = ref<number | null>(null)
const scrolled = ref(0)

const road = computed(() => props.state.road.data.value)
const facts = computed(() => props.state.facts.data.value)
const trail = computed(() => (road.value?.fields.length ?? 0) > 0)

const lanes = computed<LaneLayout[]>(() => {
  const found = road.value?.lanes ?? []
  return found.map((lane) =>
    layLane(lane.offset, lane.offset === 0 ? [] : lane.datasets, {
      detail: props.state.detail.value,
      unfolded: props.state.unfolded,
      closed: props.state.closed,
      wanted: props.state.filters.get(lane.offset) ?? '',
      trail: trail.value,
    }),
  )
})

const gutter = computed(() => (trail.value ? 104 : 78))
const columns = computed(() => {
  const side = lanes.value.length - 1
  const free = width.value - 2 * PAD - HERE - side * gutter.value
  const lane = side > 0 ? Math.max(LANE.least, Math.min(LANE.most, Math.floor(free / side))) : 0
  let x = PAD
  const total = 2 * PAD + HERE + side * (lane + gutter.value)
  if (total < width.value) x += (width.value - total) / 2
  return lanes.value.map((layout) => {
    const size = layout.offset === 0 ? HERE : lane
    const left = x
    x += size + gutter.value
    return { offset: layout.offset, left, width: size, right: left + size }
  })
})
const canvasWidth = computed(() => Math.max(width.value, (columns.value.at(-1)?.right ?? 0) + PAD))

const links = computed<Crossing[]>(() =>
  road.value ? drawn(road.value, props.state.detail.value, props.state.conditions.value) : [],
)

/** What lies beyond the outermost lane, if anything. */
function strip(offset: number, index: number): Beyond | null {
  const found = road.value
  if (!found || trail.value) return null
  const outermost = index === 0 ? found.back : index === lanes.value.length - 1 ? found.ahead : null
  return outermost && outermost.hops > 0 && offset !== 0 ? outermost : null
}

interface Anchor {
  lane: number
  y: number
  hidden: boolean
}

const anchors = computed(() => {
  // The panel in the middle is measured; reading these makes this follow what moves it.
  void [hereScroll.value, height.value, facts.value, width.value]
  const fields = new Map<number, Anchor>()
  const datasets = new Map<number, Anchor>()
  const folds = new Map<number, Anchor>()
  lanes.value.forEach((lane, index) => {
    if (lane.offset === 0) return
    const top = TITLE_Y + (lane.total > 8 ? 29 : 0)
    const shift = top - (scrolls.get(lane.offset) ?? 0)
    const bottom = height.value - (strip(lane.offset, index) ? STRIP : 6)
    const clamp = (y: number): Anchor => {
      const at = Math.max(top - 4, Math.min(bottom, y + shift))
      return { lane: index, y: at, hidden: at !== y + shift }
    }
    const places = placesIn(lane)
    for (const [id, y] of places.fields) fields.set(id, clamp(y))
    for (const [id, y] of places.datasets) datasets.set(id, clamp(y))
    for (const [id, y] of places.folds) folds.set(id, clamp(y))
  })
  const middle = lanes.value.findIndex((lane) => lane.offset === 0)
  const shown = here.value
  if (middle >= 0 && shown && facts.value) {
    const place = shown.place()
    for (const [id, i] of place.index) {
      const y = place.top + i * shown.rowHeight + shown.rowHeight / 2 - hereScroll.value
      const at = Math.max(place.top, Math.min(place.bottom, y))
      fields.set(id, { lane: middle, y: at, hidden: at !== y })
    }
    datasets.set(facts.value.id, { lane: middle, y: 52, hidden: false })
  }
  return { fields, datasets, folds }
})

function anchorOf(dataset: number, field: number | null): Anchor | undefined {
  const { fields, datasets, folds } = anchors.value
  if (field === null || props.state.detail.value === 'datasets') return datasets.get(dataset)
  return fields.get(field) ?? folds.get(dataset) ?? datasets.get(dataset)
}

/** What is on the trail, or touches what the pointer is on. */
const lit = computed(() => {
  const found = new Set<number>()
  const around = hovered.value
  for (const link of links.value) {
    if (trail.value ? link.kind === 'value' : touches(link, around)) {
      found.add(link.source_field)
      if (link.target_field !== null) found.add(link.target_field)
    }
  }
  return found
})

function touches(link: Crossing, field: number | null): boolean {
  return field !== null && (link.source_field === field || link.target_field === field)
}

const wires = computed(() => {
  const found = []
  for (const link of links.value) {
    const source = anchorOf(link.source_dataset, link.source_field)
    const target = anchorOf(link.target_dataset, link.target_field)
    const from = source && columns.value[source.lane]
    const to = target && columns.value[target.lane]
    if (!source || !target || !from || !to) continue
    const x1 = from.right + 2
    const x2 = to.left > from.left ? to.left - 3 : to.right + 3
    const bright = touches(link, hovered.value) || props.state.shownLink.value === link.id
    found.push({
      link,
      path: wirePath(x1, source.y, x2, target.y),
      x: x2,
      y: target.y,
      back: x2 <= x1,
      value: link.kind === 'value',
      bright,
      faint: (hovered.value !== null && !bright) || source.hidden || target.hidden,
    })
  }
  return found.sort(
    (a, b) => Number(a.value) - Number(b.value) || Number(a.bright) - Number(b.bright),
  )
})

const labels = computed(() => {
  const byGutter = new Map<number, { y: number; text: string; by: string; link: Crossing }[]>()
  const seen = new Set<string>()
  for (const link of links.value) {
    if (link.kind !== 'value') continue
    const target =
      (trail.value && link.target_field !== null
        ? anchors.value.fields.get(link.target_field)
        : undefined) ?? anchors.value.datasets.get(link.target_dataset)
    if (!target || target.hidden) continue
    const key = trail.value ? `${link.target_field}:${link.label}` : `${link.target_dataset}`
    if (seen.has(key) || target.lane === 0) continue
    const text = trail.value ? link.label : shortName(link.by)
    if (!trail.value && link.by.includes('/')) continue
    seen.add(key)
    const source = anchors.value.fields.get(link.source_field)
    const beside = source && Math.abs(source.lane - target.lane) === 1
    const y = trail.value && beside ? (source.y + target.y) / 2 : target.y
    const list = byGutter.get(target.lane) ?? []
    list.push({ y, text, by: jobName(link.by), link })
    byGutter.set(target.lane, list)
  }
  return [...byGutter].flatMap(([lane, list]) =>
    apart(list, LABEL).map((label) => ({
      ...label,
      left: (columns.value[lane]?.left ?? 0) - gutter.value + 3,
    })),
  )
})

/** What may be walked with the arrows: per lane, from top to bottom. */
const stops = computed(() =>
  lanes.value.map((lane) => {
    if (lane.offset === 0) {
      return (facts.value?.columns ?? []).map((column) => ({
        key: `f${column.id}`,
        field: column.id,
        dataset: facts.value?.id ?? 0,
        y: anchors.value.fields.get(column.id)?.y ?? 0,
      }))
    }
    return lane.items.flatMap((item, i) => {
      if (item.type !== 'card') return []
      const top = lane.tops[i] ?? 0
      const head = { key: item.key, field: null as number | null, dataset: item.dataset.id, y: top }
      const rows = item.rows.map((field, row) => ({
        key: `f${field.id}`,
        field: field.id as number | null,
        dataset: item.dataset.id,
        y: top + 42 + row * 22,
      }))
      return [head, ...rows]
    })
  }),
)

function revealCursor(lane: number, key: string) {
  const layout = lanes.value[lane]
  const stop = stops.value[lane]?.find((one) => one.key === key)
  if (!layout || !stop) return
  if (layout.offset === 0) {
    if (stop.field !== null) here.value?.reveal(stop.field)
  } else {
    lists.get(layout.offset)?.reveal(stop.y)
  }
  showLane(lane)
}

function showLane(lane: number, smooth = true) {
  const column = columns.value[lane]
  const box = main.value
  if (!column || !box) return
  const behavior = smooth ? 'smooth' : 'auto'
  if (column.left < box.scrollLeft + PAD) box.scrollTo({ left: column.left - 120, behavior })
  else if (column.right > box.scrollLeft + box.clientWidth - PAD) {
    box.scrollTo({ left: column.right - box.clientWidth + 120, behavior })
  }
}

function centre() {
  const column = columns.value.find((one) => one.offset === 0)
  if (column && main.value) {
    main.value.scrollLeft = column.left + column.width / 2 - main.value.clientWidth / 2
  }
}

function bind(offset: number, list: unknown) {
  if (list) lists.set(offset, list as InstanceType<typeof LaneList>)
  else lists.delete(offset)
}

watch(
  [() => road.value?.focus, () => road.value?.fields.join(), () => width.value > 0],
  async () => {
    scrolls.clear()
    await nextTick()
    centre()
  },
  { immediate: true },
)
// The evidence that is shown should be seen on the road as well.
watch(
  () => props.state.shownLink.value,
  (id) => {
    const link = links.value.find((one) => one.id === id)
    const lane = link && anchors.value.datasets.get(link.target_dataset)?.lane
    if (lane !== undefined && props.state.fields.value.length) showLane(lane)
  },
)

/** Lanes that are scrolled out of sight, on either side. */
const outside = computed(() => {
  const left = scrolled.value
  const right = left + width.value
  return {
    back: columns.value.filter((one) => one.left + one.width / 2 < left).length,
    ahead: columns.value.filter((one) => one.left + one.width / 2 > right).length,
  }
})

function slide(by: -1 | 1) {
  main.value?.scrollBy({ left: by * width.value * 0.6, behavior: 'smooth' })
}

defineExpose({ stops, lanes, revealCursor })
</script>

<template>
  <div class="frame">
    <button v-if="outside.back" class="edge back" @click="slide(-1)">
      ‹ {{ plural(outside.back, 'lane') }} further back
    </button>
    <button v-if="outside.ahead" class="edge ahead" @click="slide(1)">
      {{ plural(outside.ahead, 'lane') }} further ahead ›
    </button>
    <div ref="main" class="map" tabindex="-1" @scroll="scrolled = main?.scrollLeft ?? 0">
      <div class="canvas" :style="{ width: `${canvasWidth}px` }">
        <svg class="wires" :width="canvasWidth" :height="height" aria-hidden="true">
          <g v-for="wire in wires" :key="wire.link.id">
            <path
              :d="wire.path"
              :class="[
                wire.value ? 'value' : 'condition',
                { bright: wire.bright, faint: wire.faint, trail: trail },
                { possible: wire.link.possible },
              ]"
            />
            <circle
              v-if="wire.value"
              :cx="wire.x"
              :cy="wire.y"
              r="2.6"
              :class="{ faint: wire.faint }"
            />
            <path
              v-else
              class="head"
              :class="{ faint: wire.faint }"
              :d="
                wire.back
                  ? `M${wire.x + 4} ${wire.y - 3.5}v7l-5-3.500z`
                  : `M${wire.x - 4} ${wire.y - 3.5}v7l5-3.500z`
              "
            />
          </g>
        </svg>
        <template v-for="(lane, i) in lanes" :key="lane.offset">
          <HerePanel
            v-if="lane.offset === 0 && facts"
            :ref="(panel) => (here = panel as InstanceType<typeof HerePanel> | null)"
            class="column"
            :style="{ left: `${columns[i]?.left}px`, width: `${columns[i]?.width}px` }"
            :facts="facts"
            :chosen="state.fields.value"
            :lit="lit"
            :cursor="cursor"
            @follow="state.follow"
            @hover="(field) => (hovered = field)"
            @scroll="(top) => (hereScroll = top)"
            @changed="state.reload"
          />
          <LaneList
            v-else-if="lane.offset !== 0"
            :ref="(list) => bind(lane.offset, list)"
            class="column"
            :style="{ left: `${columns[i]?.left}px`, width: `${columns[i]?.width}px` }"
            :lane="lane"
            :lit="lit"
            :chosen="state.fields.value"
            :cursor="cursor"
            :wanted="state.filters.get(lane.offset) ?? ''"
            :beyond="strip(lane.offset, i)"
            @open="state.open"
            @follow="state.follow"
            @hover="(field) => (hovered = field)"
            @unfold="
              (id) => (state.unfolded.has(id) ? state.unfolded.delete(id) : state.unfolded.add(id))
            "
            @group="
              (key) => (state.closed.has(key) ? state.closed.delete(key) : state.closed.add(key))
            "
            @scroll="(top) => scrolls.set(lane.offset, top)"
            @filter="(text) => state.filters.set(lane.offset, text)"
            @reach="(by) => state.reach(lane.offset < 0 ? 'back' : 'ahead', by)"
          />
        </template>
        <button
          v-for="label in labels"
          :key="label.link.id"
          class="crossing"
          :class="{ on: state.shownLink.value === label.link.id && state.dock.value === 'code' }"
          :style="{ left: `${label.left}px`, top: `${label.y}px`, width: `${gutter - 8}px` }"
          :title="`${label.link.label}\n${label.by}\nShow the code`"
          :data-link="label.link.id"
          @click="state.show(label.link.id)"
        >
          <b v-if="trail" class="mono">{{ label.text }}</b>
          <span v-else>{{ label.text }}</span>
        </button>
      </div>
    </div>
  </div>
</template>

<style scoped>
.frame {
  position: relative;
  height: 100%;
  min-height: 0;
}
.edge {
  position: absolute;
  z-index: 3;
  bottom: 12px;
  padding: 4px 12px;
  font-size: 11px;
  font-weight: 600;
  color: var(--sign-ink);
  background: var(--sign);
}
.edge.back {
  left: 0;
  border-radius: 0 3px 3px 0;
}
.edge.ahead {
  right: 0;
  border-radius: 3px 0 0 3px;
}
.map {
  position: relative;
  overflow: auto hidden;
  height: 100%;
  min-height: 0;
  scrollbar-width: thin;
}
.canvas {
  position: relative;
  height: 100%;
}
.column {
  position: absolute;
  top: 0;
  bottom: 0;
}
.wires {
  position: absolute;
  inset: 0;
  pointer-events: none;
}
path {
  fill: none;
}
.value {
  stroke: var(--sign);
  stroke-width: 1.3;
  opacity: 0.5;
}
.value.trail {
  stroke-width: 2.4;
  opacity: 1;
}
.value.bright {
  stroke-width: 2.6;
  opacity: 1;
}
.condition {
  stroke: var(--cond);
  stroke-width: 0.8;
}
.condition.bright {
  stroke-width: 1.4;
}
.possible {
  stroke-dasharray: 5 4;
}
circle {
  fill: var(--sign);
}
.head {
  fill: var(--cond);
}
.faint {
  opacity: 0.18;
}
.crossing {
  position: absolute;
  z-index: 2;
  transform: translateY(-50%);
  text-align: center;
  font-size: 11px;
  line-height: 1.2;
  color: var(--mute);
}
.crossing > * {
  display: inline-block;
  max-width: 100%;
  padding: 1px 3px;
  background: var(--paper);
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  font-weight: 400;
}
.crossing b {
  color: var(--ink);
}
.crossing:hover > *,
.crossing.on > * {
  color: var(--sign);
  text-decoration: underline;
}
</style>
