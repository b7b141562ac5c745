<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import { count, exact, lasting } from '@/shared/format/humane'
import { spanWords, tickName, ticks, type Span } from './span'
import { lastParts, stateOf } from './words'

const props = defineProps<{
  table: Schemas['Timetable'] | null
  buckets: Schemas['Bucket'][]
  span: Span
  lit: string | null
}>()
const emit = defineEmits<{
  choose: [span: Span]
  open: [run: string]
  light: [run: string | null]
}>()

const LEFT = 96
const TOP = 22
const ROW = 34
const STRIP = 26
const RIGHT = 18

const box = ref<HTMLElement | null>(null)
const { width } = useElementSize(box)
const stations = computed(() => props.table?.stations ?? [])
const height = computed(() => TOP + Math.max(1, stations.value.length - 1) * ROW + 16 + STRIP + 6)
const inner = computed(() => Math.max(80, width.value - LEFT - RIGHT))
const length = computed(() => props.span.until.getTime() - props.span.since.getTime())

function x(time: number): number {
  return LEFT + ((time - props.span.since.getTime()) / length.value) * inner.value
}
function y(station: number): number {
  return TOP + station * ROW
}
const marks = computed(() =>
  ticks(props.span).map((time) => ({ x: x(time.getTime()), name: tickName(time, props.span) })),
)
const lines = computed(() =>
  (props.table?.lines ?? []).map((line) => {
    const begin = new Date(line.started_at).getTime()
    const end = line.ended_at
      ? new Date(line.ended_at).getTime()
      : Math.min(Date.now(), props.span.until.getTime())
    const failed = line.state === 'failed' || line.state === 'stopped'
    const first = y(line.from_station)
    const last = y(
      line.to_station === line.from_station ? line.from_station + 0.35 : line.to_station,
    )
    const stop = failed ? first + (last - first) * 0.55 : last
    return {
      ...line,
      failed,
      x1: x(begin),
      y1: first,
      x2: Math.max(x(begin) + 0.8, x(end)),
      y2: stop,
      told: `${line.job}, ${stateOf(line.state).word}, ${exact(line.started_at)}${
        line.ended_at ? `, ${lasting((end - begin) / 1000)}` : ''
      }`,
    }
  }),
)
/** Names of the runs that failed, as far as they do not cover one another. */
const named = computed(() => {
  const kept: { x: number; y: number; text: string; run: string }[] = []
  for (const line of lines.value) {
    if (line.state !== 'failed') continue
    const text = `${lastParts(line.job)} failed`
    const wide = text.length * 5.6
    const left = line.x2 - 12 - wide < LEFT ? line.x2 + 10 : line.x2 - 12 - wide
    const clear = kept.every(
      (one) =>
        Math.abs(one.y - line.y2) > 13 ||
        left > one.x + one.text.length * 5.6 ||
        left + wide < one.x,
    )
    if (clear && kept.length < 8) kept.push({ x: left, y: line.y2, text, run: line.run })
  }
  return kept
})
const most = computed(() =>
  Math.max(1, ...props.buckets.map((one) => one.done + one.failed + one.running + one.other)),
)
const strip = computed(() => {
  const base = height.value - 6
  const wide = inner.value / Math.max(1, props.buckets.length)
  return props.buckets.map((one, n) => {
    const all = one.done + one.failed + one.running + one.other
    const tall = all ? Math.max(2, (all / most.value) * STRIP) : 0
    const bad = one.failed ? Math.max(3, (one.failed / most.value) * STRIP) : 0
    return { x: LEFT + n * wide, wide: Math.max(1, wide - 0.6), tall, bad, y: base - tall, base }
  })
})

/** A span is chosen by dragging. */
const from = ref<number | null>(null)
const to = ref<number | null>(null)
function place(event: PointerEvent): number {
  const left = box.value?.getBoundingClientRect().left ?? 0
  return Math.min(LEFT + inner.value, Math.max(LEFT, event.clientX - left))
}
function begin(event: PointerEvent) {
  if (event.button !== 0) return
  from.value = place(event)
  to.value = from.value
  box.value?.setPointerCapture(event.pointerId)
}
function drag(event: PointerEvent) {
  if (from.value !== null) to.value = place(event)
}
function drop() {
  const [a, b] = [from.value, to.value]
  from.value = to.value = null
  if (a === null || b === null || Math.abs(a - b) < 6) return
  const time = (at: number) =>
    new Date(props.span.since.getTime() + ((at - LEFT) / inner.value) * length.value)
  emit('choose', { since: time(Math.min(a, b)), until: time(Math.max(a, b)) })
}
</script>

<template>
  <div
    ref="box"
    class="table"
    @pointerdown="begin"
    @pointermove="drag"
    @pointerup="drop"
    @pointercancel="from = to = null"
  >
    <svg
      v-if="width"
      :width="width"
      :height="height"
      role="img"
      :aria-label="`Runs, ${spanWords(span)}`"
    >
      <rect
        :x="LEFT - 6"
        :y="TOP - 12"
        :width="inner + 12"
        :height="height - TOP + 8"
        class="sheet"
      />
      <g v-for="mark in marks" :key="mark.x">
        <line :x1="mark.x" :y1="TOP - 8" :x2="mark.x" :y2="height - 4" class="tick" />
        <text :x="mark.x" y="9" text-anchor="middle" class="hour">{{ mark.name }}</text>
      </g>
      <g v-for="(station, n) in stations" :key="station">
        <line :x1="LEFT - 6" :y1="y(n)" :x2="LEFT + inner + 6" :y2="y(n)" class="station" />
        <text :x="LEFT - 14" :y="y(n) + 4" text-anchor="end" class="name">{{ station }}</text>
      </g>
      <g
        v-for="line in lines"
        :key="line.run"
        class="line"
        :class="[line.state, { lit: lit === line.run }]"
        @pointerdown.stop
        @click="emit('open', line.run)"
        @pointerenter="emit('light', line.run)"
        @pointerleave="emit('light', null)"
      >
        <title>{{ line.told }}</title>
        <line :x1="line.x1" :y1="line.y1" :x2="line.x2" :y2="line.y2" class="reach" />
        <line :x1="line.x1" :y1="line.y1" :x2="line.x2" :y2="line.y2" class="way" />
        <path v-if="line.failed" :d="`M${line.x2 - 4} ${line.y2 - 4}l8 8m0-8l-8 8`" class="cross" />
        <circle v-if="line.state === 'running'" :cx="line.x2" :cy="line.y2" r="3" class="dot" />
      </g>
      <text v-for="one in named" :key="one.run" :x="one.x" :y="one.y + 4" class="failed-name">
        {{ one.text }}
      </text>
      <g v-for="(bar, n) in strip" :key="n">
        <rect
          v-if="bar.tall"
          :x="bar.x"
          :y="bar.y"
          :width="bar.wide"
          :height="bar.tall"
          class="bar"
        />
        <rect
          v-if="bar.bad"
          :x="bar.x"
          :y="bar.base - bar.bad"
          :width="bar.wide"
          :height="bar.bad"
          class="bad"
        />
      </g>
      <text :x="LEFT - 14" :y="height - 8" text-anchor="end" class="name quiet">runs</text>
      <rect
        v-if="from !== null && to !== null"
        :x="Math.min(from, to)"
        :y="TOP - 12"
        :width="Math.abs(to - from)"
        :height="height - TOP + 8"
        class="chosen"
      />
    </svg>
    <p v-if="table?.left_out" class="left">
      {{ table.counted_all ? '' : 'More than ' }}{{ count(table.left_out) }} more runs are not
      drawn; choose a shorter time, or search.
    </p>
  </div>
</template>

<style scoped>
.table {
  cursor: crosshair;
  user-select: none;
  touch-action: none;
}
svg {
  display: block;
}
.sheet {
  fill: var(--sheet);
}
.tick {
  stroke: var(--hair);
}
.station {
  stroke: var(--hair-strong);
}
.hour {
  font-size: 11px;
  fill: var(--mute);
}
.name {
  font-size: 12px;
  font-weight: 600;
  fill: var(--ink);
}
.quiet {
  font-weight: 400;
  fill: var(--mute);
  font-size: 11px;
}
.line {
  cursor: pointer;
}
.reach {
  stroke: transparent;
  stroke-width: 9;
}
.way {
  stroke: var(--sign-soft);
  stroke-width: 1.2;
}
.running .way {
  stroke: var(--sign);
  stroke-dasharray: 3 3;
}
.failed .way,
.cross {
  stroke: var(--brick);
  stroke-width: 2;
}
.stopped .way,
.stopped .cross {
  stroke: var(--amber);
}
.dot {
  fill: var(--sign);
}
.line.lit .way,
.line:hover .way {
  stroke-width: 3;
  stroke: var(--sign);
}
.line.failed.lit .way,
.line.failed:hover .way {
  stroke: var(--brick);
}
.failed-name {
  font-size: 11px;
  font-weight: 600;
  fill: var(--brick);
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 3px;
  pointer-events: none;
}
.bar {
  fill: var(--sign-soft);
}
.bad {
  fill: var(--brick);
}
.chosen {
  fill: var(--sign);
  opacity: 0.15;
}
.left {
  margin: 2px 0 0 96px;
  font-size: 11px;
  color: var(--mute);
}
</style>
