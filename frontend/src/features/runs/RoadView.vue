<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import { computed, ref, useTemplateRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import { exact, plural } from '@/shared/format/humane'
import PictureLinks from '@/shared/components/PictureLinks.vue'
import { CARD, onTheWay, placeRoad, spanOfRoad } from './road'
import { clock, lastParts, shortJob, stateOf, took } from './words'

const route = useRoute()
const router = useRouter()
const run = computed(() => String(route.params.run))
const hops = (name: string) => Math.min(20, Math.max(0, Number(route.query[name] ?? 3) || 0))
const back = computed(() => hops('back'))
const ahead = computed(() => hops('ahead'))
const { data, error } = useAsked(
  () => (route.name === 'road of a run' ? ['road', run.value, back.value, ahead.value] : null),
  (signal) => api.road(run.value, back.value, ahead.value, signal),
)
const placed = computed(() => (data.value ? placeRoad(data.value) : null))
const rows = computed(
  () => new Map(data.value?.lanes.flatMap((lane) => lane.runs.map((one) => [one.run, one])) ?? []),
)
const here = computed(() => rows.value.get(run.value) ?? null)
const lit = ref<string | null>(null)
const sheet = useTemplateRef<HTMLElement>('sheet')
const way = computed(() => (data.value && lit.value ? onTheWay(data.value, lit.value) : null))

const wires = computed(() => {
  const found = placed.value
  if (!data.value || !found) return []
  const between = new Map<string, { names: string[]; from: string; to: string }>()
  for (const step of data.value.steps) {
    const key = `${step.writer} ${step.reader}`
    const known = between.get(key) ?? { names: [], from: step.writer, to: step.reader }
    known.names.push(lastParts(step.name))
    between.set(key, known)
  }
  return [...between.values()].flatMap((one) => {
    const a = found.cards.get(one.from)
    const b = found.cards.get(one.to)
    if (!a || !b) return []
    const [x1, y1] = [a.x + CARD.width, a.y + CARD.height / 2]
    const [x2, y2] = [b.x, b.y + CARD.height / 2]
    const bend = Math.max(24, (x2 - x1) / 2)
    return [
      {
        ...one,
        key: `${one.from} ${one.to}`,
        path: `M${x1} ${y1}C${x1 + bend} ${y1} ${x2 - bend} ${y2} ${x2} ${y2}`,
        x: (x1 + x2) / 2,
        y: (y1 + y2) / 2,
      },
    ]
  })
})
/** Names stand on lines that are lit; on all of them where there are few. */
const named = computed(() =>
  wires.value.filter((one) =>
    way.value ? way.value.has(one.from) && way.value.has(one.to) : wires.value.length <= 8,
  ),
)

// --- the period is played ---
const times = computed<[number, number]>(() => (data.value ? spanOfRoad(data.value) : [0, 0]))
const at = ref<number | null>(null)
watch(data, () => (at.value = null))
const FRAMES = 120
const { isActive, pause, resume } = useIntervalFn(
  () => {
    const [first, last] = times.value
    const next = (at.value ?? first) + (last - first) / FRAMES
    at.value = Math.min(next, last)
    if (next >= last) pause()
  },
  60,
  { immediate: false },
)
function play() {
  if (isActive.value) return pause()
  if (at.value === null || at.value >= times.value[1]) at.value = times.value[0]
  resume()
}
/** A run as it was at the moment that is played: not yet begun, at work, over. */
function then(id: string): string {
  const row = rows.value.get(id)
  if (at.value === null || !row) return ''
  if (new Date(row.started_at).getTime() > at.value) return 'later'
  return row.ended_at && new Date(row.ended_at).getTime() > at.value ? 'at-work' : ''
}
function reach(name: 'back' | 'ahead', by: number) {
  const now = name === 'back' ? back.value : ahead.value
  void router.replace({
    query: { ...route.query, [name]: String(Math.min(20, Math.max(0, now + by))) },
  })
}
function laneName(offset: number): string {
  if (!offset) return 'this run'
  return `${plural(Math.abs(offset), 'run')} ${offset < 0 ? 'before' : 'after'}`
}
</script>

<template>
  <main class="road">
    <Teleport defer to="#page-title">
      <div class="head">
        <h1 class="name">
          The road of {{ here ? shortJob(here.job.name, here.parent_job?.name) : 'a run'
          }}<span v-if="here" class="mute" :title="exact(here.started_at)">
            {{ clock(here.started_at) }}</span
          >
        </h1>
        <span
          v-for="[name, words] in [
            ['back', 'before'],
            ['ahead', 'after'],
          ] as const"
          :key="name"
          class="reach"
        >
          <button :aria-label="`One less ${words}`" @click="reach(name, -1)">−</button>
          <b>{{ name === 'back' ? back : ahead }} {{ words }}</b>
          <button :aria-label="`One more ${words}`" @click="reach(name, 1)">+</button>
        </span>
        <RouterLink :to="{ name: 'runs', query: { run } }">in the ledger</RouterLink>
        <PictureLinks
          :of="() => sheet"
          :name="`The road of ${here?.job.name ?? 'a run'}${here ? `, ${clock(here.started_at)}` : ''}`"
        />
      </div>
    </Teleport>
    <div class="bar">
      <button class="link" @click="play">{{ isActive ? 'stop' : '▸ play' }}</button>
      <input
        type="range"
        :min="times[0]"
        :max="times[1]"
        :value="at ?? times[1]"
        aria-label="Moment"
        @input="at = Number(($event.target as HTMLInputElement).value)"
      />
      <span class="mute">{{
        at === null ? 'as it ended' : clock(new Date(at).toISOString())
      }}</span>
      <span v-if="data?.cut" class="state warn">there are more runs than are shown</span>
    </div>
    <p v-if="error" class="state bad" role="alert">{{ error }}</p>
    <p v-else-if="!data" class="mute">Looking for who wrote what it read…</p>
    <div v-else-if="placed" ref="sheet" class="sheet">
      <div class="plan" :style="{ width: `${placed.width}px`, height: `${placed.height}px` }">
        <svg :width="placed.width" :height="placed.height" aria-hidden="true">
          <path
            v-for="wire in wires"
            :key="wire.key"
            :d="wire.path"
            class="wire"
            :class="{
              lit: way?.has(wire.from) && way.has(wire.to),
              dim: way && !(way.has(wire.from) && way.has(wire.to)),
            }"
          >
            <title>{{ wire.names.join(', ') }}</title>
          </path>
          <text
            v-for="wire in named"
            :key="`t ${wire.key}`"
            :x="wire.x"
            :y="wire.y - 4"
            text-anchor="middle"
          >
            {{ wire.names[0] }}{{ wire.names.length > 1 ? ` +${wire.names.length - 1}` : '' }}
          </text>
        </svg>
        <span
          v-for="(lane, n) in data.lanes"
          :key="lane.offset"
          class="lane"
          :style="{ left: `${n * (CARD.width + CARD.gapX)}px`, width: `${CARD.width}px` }"
          >{{ laneName(lane.offset) }}</span
        >
        <RouterLink
          v-for="[id, row] in rows"
          :key="id"
          class="card"
          :class="[then(id), { here: id === run, dim: way && !way.has(id) }]"
          :style="{
            left: `${placed.cards.get(id)?.x}px`,
            top: `${placed.cards.get(id)?.y}px`,
            width: `${CARD.width}px`,
            height: `${CARD.height}px`,
          }"
          :to="{ name: 'road of a run', params: { run: id }, query: route.query }"
          :title="`${row.job.name}, ${exact(row.started_at)}`"
          @pointerenter="lit = id"
          @pointerleave="lit = null"
          @focus="lit = id"
          @blur="lit = null"
        >
          <b>{{ shortJob(row.job.name, row.parent_job?.name) }}</b>
          <span class="state" :class="stateOf(row.state).tone"
            >{{ stateOf(row.state).mark }} {{ stateOf(row.state).word }}</span
          >
          <small class="mute"
            >{{ clock(row.started_at)
            }}<template v-if="row.took !== null">, {{ took(row.took) }}</template></small
          >
        </RouterLink>
      </div>
      <p v-if="data.lanes.length === 1" class="mute">
        No run is known that had written what it read, or has read what it wrote.
      </p>
    </div>
  </main>
</template>

<style scoped>
.road {
  display: flex;
  flex-direction: column;
  min-height: 0;
  padding: 0 20px;
}
.head {
  display: flex;
  gap: 22px;
  align-items: baseline;
}
.name {
  font-size: 16px;
}
.name span {
  font-weight: 400;
  margin-left: 8px;
}
.reach {
  display: flex;
  gap: 8px;
}
.bar {
  display: flex;
  gap: 14px;
  align-items: center;
  padding: 10px 0;
}
.bar input {
  flex: 1;
  max-width: 560px;
  accent-color: var(--sign);
}
.sheet {
  overflow: auto;
  flex: 1;
  padding-bottom: 30px;
}
.plan {
  position: relative;
}
svg {
  position: absolute;
  inset: 0;
}
.wire {
  fill: none;
  stroke: var(--sign-soft);
  stroke-width: 1.5;
}
.wire.lit {
  stroke: var(--sign);
  stroke-width: 2.5;
}
.wire.dim {
  stroke: var(--hair);
}
text {
  font-size: 11px;
  fill: var(--mute);
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 4px;
}
.lane {
  position: absolute;
  top: 0;
  font-size: 11px;
  font-weight: 600;
  color: var(--mute);
  border-bottom: 2px solid var(--hair);
}
.card {
  position: absolute;
  background: var(--sheet);
  border: 1px solid var(--hair);
  padding: 4px 9px;
  color: var(--ink);
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  column-gap: 8px;
  align-content: center;
}
.card:hover {
  text-decoration: none;
  border-color: var(--sign);
}
.card.here {
  border: 2px solid var(--sign);
}
.card.dim {
  opacity: 0.45;
}
.card.later {
  opacity: 0.15;
}
.card.at-work {
  border-color: var(--amber);
  background: var(--sign-wash);
}
b {
  font-weight: 600;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
small {
  grid-column: 1 / -1;
}
</style>
