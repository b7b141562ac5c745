<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { computed, ref, useTemplateRef, watch } from 'vue'
import EvidenceDock from './EvidenceDock.vue'
import FindWithin from './FindWithin.vue'
import ExportMenu from './ExportMenu.vue'
import KeySheet from './KeySheet.vue'
import LineageMap from './LineageMap.vue'
import LinkTable from './LinkTable.vue'
import StartHere from './StartHere.vue'
import { ALL } from './useAddress'
import { provideStates } from '@/features/runs/useStates'
import { exact } from '@/shared/format/humane'
import { momentName } from '@/features/history/moments'
import DifferenceView from './DifferenceView.vue'
import MomentBar from './MomentBar.vue'
import { useDifference } from './useDifference'
import { useLineage } from './useLineage'
import { useWhatIf } from './useWhatIf'
import { useWithin } from './useWithin'
import WhatIf from './WhatIf.vue'

const state = useLineage()
// Two moments side by side: the same road at an earlier time.
const both = computed(() => Boolean(state.against.value) && state.together.value === 'both')
const earlier = useLineage({ at: state.against, shown: both })
const difference = useDifference(state)
const map = useTemplateRef<InstanceType<typeof LineageMap>>('map')
const sheet = ref(false)
const cursor = ref<{ lane: number; row: number } | null>(null)

const facts = computed(() => state.facts.data.value)
const lanes = computed(() => state.map.data.value)
// How what is in view stands, as far as runs have told.
provideStates(
  computed(() => [
    ...new Set(lanes.value?.lanes.flatMap((lane) => lane.datasets.map((one) => one.id)) ?? []),
  ]),
)
const failed = computed(() => state.map.error.value ?? state.facts.error.value)
const stop = computed(() => {
  const at = cursor.value
  return at ? (map.value?.stops[at.lane]?.[at.row] ?? null) : null
})
const chosen = computed(() => {
  const byId = new Map(facts.value?.columns.map((column) => [column.id, column.name]))
  return state.fields.value.map((id) => ({ id, name: byId.get(id) ?? '…' }))
})
const SIDES = [
  { side: null, words: 'both sides' },
  { side: 'upstream', words: 'upstream' },
  { side: 'downstream', words: 'downstream' },
] as const
const changes = useWhatIf(
  () => facts.value,
  () => state.fields.value,
)
const allTheWay = (hops: number) => (hops >= ALL ? 'all the way' : String(hops))

watch([state.dataset, () => state.fields.value.join()], () => (cursor.value = null))

function walk(lanes: number, rows: number) {
  const stops = map.value?.stops
  if (!stops?.length) return
  const middle = map.value?.lanes.findIndex((lane) => lane.offset === 0) ?? 0
  const at = cursor.value
  if (!at) {
    const row = stops[middle]?.findIndex((one) => one.field === state.fields.value[0]) ?? 0
    cursor.value = { lane: middle, row: Math.max(0, row) }
  } else {
    const lane = Math.max(0, Math.min(stops.length - 1, at.lane + lanes))
    const size = stops[lane]?.length ?? 0
    cursor.value = { lane, row: Math.max(0, Math.min(size - 1, lanes ? at.row : at.row + rows)) }
  }
  if (cursor.value && stop.value) map.value?.revealCursor(cursor.value.lane, stop.value.key)
}

function nextStep(by: number) {
  const steps = lanes.value?.steps ?? []
  const at = steps.findIndex((step) => step.links.includes(state.shownLink.value ?? -1))
  const next = steps[Math.max(0, Math.min(steps.length - 1, at + by))]
  if (next) state.show(next.link)
}

const within = useWithin(state)
const finder = useTemplateRef<InstanceType<typeof FindWithin>>('finder')
/** Show what is found: its lane is opened if it is folded, and filtered to it if it is not among those that are shown. */
watch(
  [within.now, () => map.value?.stops, lanes],
  () => {
    const match = within.now.value
    const road = map.value
    if (!match || !road || !lanes.value) return
    const lane = road.lanes.findIndex((one) => one.offset === match.lane)
    if (lane < 0) return
    const shown = lanes.value.lanes[lane]?.datasets.some((one) => one.id === match.dataset)
    if (!shown && match.lane !== 0) return void state.filters.set(match.lane, match.title)
    if (road.folded.has(match.lane)) return state.setOpen([match.lane], true)
    const stops = road.stops[lane] ?? []
    const keys = [`f${match.field}`, `d${match.dataset}`]
    const row = keys.map((key) => stops.findIndex((one) => one.key === key)).find((n) => n >= 0)
    if (row === undefined || (cursor.value?.lane === lane && cursor.value.row === row)) return
    cursor.value = { lane, row }
    road.revealCursor(lane, stops[row]?.key ?? '')
  },
  { flush: 'post' },
)

const KEYS: Record<string, () => void> = {
  ArrowLeft: () => walk(-1, 0),
  ArrowRight: () => walk(1, 0),
  ArrowUp: () => walk(0, -1),
  ArrowDown: () => walk(0, 1),
  Enter: () =>
    stop.value && stop.value.dataset !== state.dataset.value && state.open(stop.value.dataset),
  t: () => stop.value?.field && state.follow(stop.value.field, stop.value.dataset),
  T: () => stop.value?.field && state.follow(stop.value.field, stop.value.dataset, true),
  e: () => state.setDock(state.dock.value === 'code' ? 'closed' : 'code'),
  d: () => state.fields.value.length && state.setDock('depends'),
  f: () => finder.value?.focus(),
  n: () => nextStep(1),
  p: () => nextStep(-1),
  c: state.toggleConditions,
  b: () => state.reach('upstream', 1),
  B: () => state.reach('upstream', -1),
  a: () => state.reach('downstream', 1),
  A: () => state.reach('downstream', -1),
  h: () => state.setDock(state.dock.value === 'past' ? 'closed' : 'past'),
  v: state.toggleTable,
  '?': () => (sheet.value = true),
  Escape: () =>
    state.against.value
      ? state.compare(null)
      : state.onTrail.value
        ? state.leave()
        : state.setDock('closed'),
}

useEventListener(document, 'keydown', (event: KeyboardEvent) => {
  const target = event.target as HTMLElement
  if (event.ctrlKey || event.metaKey || event.altKey || sheet.value || state.dataset.value === null)
    return
  if (target.closest('input, textarea, [contenteditable], .el-overlay')) return
  const act = KEYS[event.key]
  if (!act) return
  if (event.key === 'Enter' && (!cursor.value || target.closest('button, a'))) return
  if (event.key.startsWith('Arrow') && target.closest('.code, .scroll[tabindex]')) return
  event.preventDefault()
  act()
})
</script>

<template>
  <main class="lineage">
    <Teleport defer to="#page-title">
      <h1 v-if="facts" class="name">
        <span>{{ facts.container.replaceAll('.', ' / ') }} / </span
        >{{ facts.kind === 'report' ? facts.title : facts.name.split('.').at(-1) }}
      </h1>
    </Teleport>
    <StartHere v-if="state.dataset.value === null" />
    <template v-else>
      <div class="bar" role="toolbar" aria-label="What the road shows">
        <template v-if="state.onTrail.value">
          <span>
            Trail of
            <button
              v-for="field in chosen"
              :key="field.id"
              class="chip mono"
              :title="`Take ${field.name} off the trail`"
              @click="state.follow(field.id, state.dataset.value ?? 0, true)"
            >
              {{ field.name }}<i aria-hidden="true">×</i>
            </button>
          </span>
          <button title="d" @click="state.setDock('depends')">what depends on it</button>
          <span class="sides" role="group" aria-label="Sides of the trail">
            <button
              v-for="one in SIDES"
              :key="one.words"
              :aria-pressed="state.side.value === one.side"
              :class="{ on: state.side.value === one.side }"
              @click="state.setSide(one.side)"
            >
              {{ one.words }}
            </button>
          </span>
          <span v-if="changes.length" class="changes">what if <WhatIf :changes="changes" /></span>
        </template>
        <button v-else title="Columns, or datasets only" @click="state.toggleDetail">
          detail <b>{{ state.detail.value }}</b>
        </button>
        <button title="c" @click="state.toggleConditions">
          conditions <b>{{ state.strokes.value }}</b>
        </button>
        <span v-if="!state.onTrail.value" class="reach">
          reach
          <button aria-label="One hop less upstream" @click="state.reach('upstream', -1)">−</button>
          <b>{{ allTheWay(state.upstream.value) }} upstream</b>
          <button aria-label="One hop more upstream" @click="state.reach('upstream', 1)">+</button>
          <button aria-label="One hop less downstream" @click="state.reach('downstream', -1)">
            −
          </button>
          <b>{{ allTheWay(state.downstream.value) }} downstream</b>
          <button aria-label="One hop more downstream" @click="state.reach('downstream', 1)">
            +
          </button>
        </span>
        <span class="right">
          <FindWithin
            ref="finder"
            v-model="within.words.value"
            :found="within.found.value"
            :at="within.at.value"
            @step="within.step"
          />
          <button
            title="h"
            :aria-pressed="state.dock.value === 'past'"
            @click="state.setDock(state.dock.value === 'past' ? 'closed' : 'past')"
          >
            past
          </button>
          <button title="v" @click="state.toggleTable">
            {{ state.asTable.value ? 'as a road' : 'as a table' }}
          </button>
          <button v-if="state.dock.value === 'closed'" title="e" @click="state.setDock('code')">
            code
          </button>
          <ExportMenu
            v-if="facts"
            :facts="facts"
            :fields="state.fields.value"
            :upstream="state.onTrail.value ? ALL : state.upstream.value"
            :downstream="state.onTrail.value ? ALL : state.downstream.value"
          />
          <button title="Keys" @click="sheet = true">keys <kbd>?</kbd></button>
        </span>
      </div>
      <MomentBar v-if="state.moments.value.length || state.against.value" :state="state" />
      <div v-if="failed" class="failed" role="alert">
        <h2>This road cannot be shown</h2>
        <p>{{ failed }}</p>
        <p v-if="state.at.value">
          This is what was known {{ exact(state.at.value) }}.
          <button class="link" @click="state.goTo(null)">Show it as it is now.</button>
        </p>
        <p><RouterLink to="/catalog">Find another dataset in the catalog.</RouterLink></p>
      </div>
      <template v-else>
        <div class="stage" :aria-busy="state.map.loading.value">
          <p v-if="!lanes || !facts" class="waiting">Laying out the road…</p>
          <DifferenceView
            v-else-if="state.against.value && !both"
            :state="state"
            :found="difference.data.value"
            :error="difference.error.value"
          />
          <div v-else-if="both" class="both">
            <h2>{{ momentName(state.against.value) }}</h2>
            <LineageMap
              v-if="earlier.map.data.value && earlier.facts.data.value"
              :state="earlier"
              :cursor="null"
            />
            <p v-else class="waiting">
              {{
                earlier.map.error.value ??
                earlier.facts.error.value ??
                'Laying out the road as it was…'
              }}
            </p>
            <h2>{{ momentName(state.at.value) }}</h2>
            <LineageMap ref="map" :state="state" :cursor="stop?.key ?? null" />
          </div>
          <LinkTable v-else-if="state.asTable.value" :state="state" />
          <LineageMap v-else ref="map" :state="state" :cursor="stop?.key ?? null" />
        </div>
        <EvidenceDock v-if="state.dock.value !== 'closed'" :state="state" />
      </template>
      <KeySheet v-model="sheet" />
    </template>
  </main>
</template>

<style scoped>
.lineage {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  grid-template-rows: 40px auto minmax(0, 1fr) auto;
  min-height: 0;
  height: 100%;
}
.name {
  font-size: 16px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.name span {
  color: var(--mute);
  font-weight: 400;
}
.bar {
  display: flex;
  align-items: center;
  gap: 16px;
  padding: 0 20px;
  border-bottom: 1px solid var(--hair);
  font-size: 12px;
  color: var(--mute);
  white-space: nowrap;
}
.bar b {
  color: var(--ink);
  font-weight: 600;
}
.bar button:hover,
.bar button:hover b {
  color: var(--sign);
}
.chip {
  background: var(--sign);
  color: var(--sign-ink);
  border-radius: 3px;
  padding: 2px 8px;
  margin-left: 4px;
}
.bar .chip:hover {
  color: var(--sign-ink);
  text-decoration: line-through;
}
.chip i {
  font-style: normal;
  opacity: 0.8;
  margin-left: 6px;
}
.sides,
.changes {
  display: flex;
  gap: 10px;
}
.bar .sides .on {
  color: var(--ink);
  font-weight: 600;
}
.reach {
  display: flex;
  gap: 7px;
}
.reach button {
  width: 14px;
  text-align: center;
}
.right {
  margin-left: auto;
  display: flex;
  gap: 14px;
}
/* Where there is little room it stands with the facts of what is here. */
@media (width < 1240px) {
  .bar .changes {
    display: none;
  }
}
.stage,
.failed {
  grid-row: 3;
}
.both {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr) auto minmax(0, 1fr);
  height: 100%;
}
/* Of what is here its columns count now. */
.both :deep(.here dl),
.both :deep(.here .about) {
  display: none;
}
.both h2 {
  font-size: 11px;
  color: var(--amber);
  padding: 3px 20px;
  border-bottom: 1px solid var(--hair);
  background: var(--sheet);
}
.stage {
  min-height: 0;
  min-width: 0;
}
.waiting,
.failed {
  padding: 40px;
  color: var(--mute);
}
.failed h2 {
  color: var(--brick);
}
</style>
