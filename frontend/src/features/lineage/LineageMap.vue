<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, nextTick, shallowRef, useTemplateRef, watch } from 'vue'
import { standing, useStates } from '@/features/runs/useStates'
import { plural } from '@/shared/format/humane'
import { arrowHead } from './geometry'
import HerePanel from './HerePanel.vue'
import LaneList from './LaneList.vue'
import { useAnchors } from './useAnchors'
import StripMap from './StripMap.vue'
import { useColumns } from './useColumns'
import type { LineageState } from './useLineage'
import { useDiffering } from './useDifference'
import { useRails } from './useRails'
import { useSideways } from './useSideways'
import { useStops } from './useStops'
import { useWires } from './useWires'

const props = defineProps<{ state: LineageState; cursor: string | null }>()

const main = useTemplateRef<HTMLElement>('main')
const here = shallowRef<InstanceType<typeof HerePanel> | null>(null)
const lists = new Map<number, InstanceType<typeof LaneList>>()
const { width, height } = useElementSize(main)
const map = computed(() => props.state.map.data.value)
const facts = computed(() => props.state.facts.data.value)

const road = useColumns(props.state, width)
const { canvasWidth, columns, folded, gutter, lanes, panel, placed, stations, strips, trail } = road
const rails = useRails(props.state, road)
const { links } = rails
const { anchorOf, anchors, hereScroll, scrolls, strip } = useAnchors(
  props.state,
  lanes,
  { width, height },
  here,
  { folded, panel, rails: rails.room },
)
const { hovered, labels, lit, wires } = useWires(
  props.state,
  road,
  rails,
  { anchorOf, anchors },
  height,
)
const stops = useStops(props.state, lanes, anchors, road)
const states = useStates()
const differing = useDiffering()
/** How what a crossing fills stands, where that is not as it should be. */
function troubled(dataset: number) {
  const fact = states.value.get(dataset)
  const found = fact && fact.state !== 'fresh' && fact.state !== 'stale' ? standing(fact) : null
  return found
}
const { centre, outside, scrolled, showLane, slide } = useSideways(main, columns, width)

function revealCursor(lane: number, key: string) {
  const layout = lanes.value[lane]
  const stop = stops.value[lane]?.find((one) => one.key === key)
  if (!layout || !stop) return
  if (layout.offset === 0 && panel.value) {
    if (stop.field !== null) here.value?.reveal(stop.field)
  } else {
    lists.get(layout.offset)?.reveal(stop.y)
  }
  showLane(lane)
}

/** Make a dataset here; what is here already shows its facts. */
function open(dataset: number) {
  if (dataset === facts.value?.id) props.state.setPanel(true)
  else props.state.open(dataset)
}

/** Bring a lane into sight, opened if it was folded. */
async function showOffset(offset: number) {
  const strip = strips.value.find((one) => one.offsets.includes(offset))
  if (strip) props.state.setOpen(strip.offsets, true)
  await nextTick()
  showLane(lanes.value.findIndex((lane) => lane.offset === offset))
}

function bind(offset: number, list: unknown) {
  if (list) lists.set(offset, list as InstanceType<typeof LaneList>)
  else lists.delete(offset)
}

watch(
  [() => map.value?.focus, () => map.value?.fields.join(), () => width.value > 0],
  async () => {
    scrolls.clear()
    await nextTick()
    if (canvasWidth.value > width.value) centre()
  },
  { immediate: true },
)
// The evidence that is shown should be seen among the lanes as well.
watch(
  () => props.state.shownLink.value,
  (id) => {
    const link = links.value.find((one) => one.id === id)
    const lane = link && anchors.value.datasets.get(link.target_dataset)?.lane
    if (lane !== undefined && props.state.fields.value.length) showLane(lane)
  },
)

defineExpose({ folded, stops, lanes, revealCursor })
</script>

<template>
  <div class="frame" :class="[{ road: trail }, state.strokes.value]">
    <StripMap
      v-if="trail && map"
      :map="map"
      :placed="placed"
      :stations="stations"
      :seen="{ left: scrolled, width, whole: canvasWidth }"
      @show="showOffset"
    />
    <button v-if="!trail && outside.upstream" class="edge upstream" @click="slide(-1)">
      ‹ {{ plural(outside.upstream, 'lane') }} further upstream
    </button>
    <button v-if="!trail && outside.downstream" class="edge downstream" @click="slide(1)">
      {{ plural(outside.downstream, 'lane') }} further downstream ›
    </button>
    <div ref="main" class="map" tabindex="-1" @scroll="scrolled = main?.scrollLeft ?? 0">
      <div class="canvas" :style="{ width: `${canvasWidth}px` }">
        <svg class="wires" :width="canvasWidth" :height="height" aria-hidden="true">
          <g v-for="wire in wires" :key="wire.link.id">
            <path
              :d="wire.path"
              :style="wire.width ? { strokeWidth: `${wire.width}px` } : undefined"
              :class="[
                wire.value ? 'value' : 'condition',
                { bright: wire.bright, faint: wire.faint, trail: trail },
                { possible: wire.link.possible, bundle: wire.width !== null },
                { differs: wire.link.link && differing.links.has(wire.link.link.id) },
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
              :d="arrowHead(wire.x, wire.y, wire.leftwards)"
            />
          </g>
        </svg>
        <template v-for="(lane, i) in lanes" :key="lane.offset">
          <HerePanel
            v-if="lane.offset === 0 && panel && facts"
            :ref="(panel) => (here = panel as InstanceType<typeof HerePanel> | null)"
            class="column"
            :style="{ left: `${columns[i]?.left}px`, width: `${columns[i]?.width}px` }"
            :facts="facts"
            :chosen="state.fields.value"
            :lit="lit"
            :cursor="cursor"
            :on-trail="trail"
            @lower="state.setPanel(false)"
            @follow="state.follow"
            @hover="(field) => (hovered = field)"
            @scroll="(top) => (hereScroll = top)"
            @changed="state.reload"
            @more="state.moreColumns"
          />
          <LaneList
            v-else-if="!folded.has(lane.offset) && (lane.offset !== 0 || !panel)"
            :ref="(list) => bind(lane.offset, list)"
            class="column"
            :style="{
              left: `${columns[i]?.left}px`,
              width: `${columns[i]?.width}px`,
              bottom: `${rails.room.value}px`,
            }"
            :may-fold="trail && lane.offset !== 0 && i > 0 && i < lanes.length - 1"
            :shown-link="state.dock.value === 'code' ? state.shownLink.value : null"
            :lane="lane"
            :lit="lit"
            :chosen="state.fields.value"
            :cursor="cursor"
            :wanted="state.filters.get(lane.offset) ?? ''"
            :beyond="strip(lane.offset, i)"
            @fold="state.setOpen([lane.offset], false)"
            @show="state.show"
            @open="open"
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
            @more="state.showMore(lane.offset, lane.shown)"
            @reach="(by) => state.reach(lane.offset < 0 ? 'upstream' : 'downstream', by)"
          />
        </template>
        <button
          v-for="one in strips"
          :key="`strip${one.offsets[0]}`"
          class="strip"
          :style="{
            left: `${columns[lanes.findIndex((lane) => lane.offset === one.offsets[0])]?.left}px`,
            bottom: `${rails.room.value}px`,
          }"
          :title="`${one.words}: open`"
          :data-strip="one.offsets.join()"
          @click="state.setOpen(one.offsets, true)"
        >
          <span>{{ one.words }}</span>
        </button>
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
          <span>{{ label.text }}</span>
          <i
            v-if="troubled(label.link.target_dataset)"
            class="state"
            :class="troubled(label.link.target_dataset)?.tone"
            :title="troubled(label.link.target_dataset)?.told"
            >{{ troubled(label.link.target_dataset)?.mark }}
            {{ troubled(label.link.target_dataset)?.word }}</i
          >
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
.frame.road {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
}
.strip {
  position: absolute;
  z-index: 1;
  top: 8px;
  width: 34px;
  background: var(--sheet);
  border: 1px solid var(--hair-strong);
  border-width: 0 1px;
  color: var(--mute);
  font-size: 11px;
  display: grid;
  place-items: center;
}
.strip span {
  writing-mode: vertical-rl;
  white-space: nowrap;
}
.strip:hover {
  color: var(--sign);
  border-color: var(--sign);
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
.edge.upstream {
  left: 0;
  border-radius: 0 3px 3px 0;
}
.edge.downstream {
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
path.differs {
  stroke: var(--amber);
  stroke-width: 2.6;
  opacity: 1;
}
.condition {
  stroke: var(--cond);
  stroke-width: 0.8;
}
.full .condition {
  stroke-width: 1.7;
}
.condition.bright {
  stroke-width: 1.4;
}
.bundle,
.value.bundle.trail {
  opacity: 0.3;
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
.faint,
.value.trail.faint {
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
.crossing i {
  font-style: normal;
  font-weight: 600;
}
.crossing:hover > *,
.crossing.on > * {
  color: var(--sign);
  text-decoration: underline;
}
</style>
