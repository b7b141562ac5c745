<script setup lang="ts">
import { computed, nextTick, ref, useTemplateRef } from 'vue'
import type { DatasetFacts } from '@/api/client'
import KindGlyph from '@/shared/components/KindGlyph.vue'
import { ago, count, exact, plural } from '@/shared/format/humane'
import { standing, useStates } from '@/features/runs/useStates'
import { jobName } from './naming'
import StandingFacts from './StandingFacts.vue'
import { useWhatIf } from './useWhatIf'
import { useMarks } from './useWithin'
import WhatIf from './WhatIf.vue'

const props = defineProps<{
  facts: DatasetFacts
  chosen: number[]
  lit: Set<number>
  cursor: string | null
  /** Beside a trail it may stand as a lane among the others. */
  onTrail?: boolean
}>()
const emit = defineEmits<{
  follow: [field: number, dataset: number, add: boolean]
  hover: [field: number | null]
  scroll: [top: number]
  changed: []
  more: []
  lower: []
}>()

const ROW = 24
const columns = useTemplateRef<HTMLElement>('columns')
const sides = useTemplateRef<HTMLElement>('sides')
const wanted = ref('')
const more = ref(false)
async function turn(to: boolean) {
  more.value = to
  await nextTick()
  emit('scroll', to ? -1 : (columns.value?.scrollTop ?? 0))
}
const behind = computed(() => {
  const { known_as, conflicts, uses } = props.facts
  if (conflicts.length) return 'sources disagree'
  if (known_as.length) return plural(known_as.length, 'other name')
  const runs = uses.reduce((sum, use) => sum + use.runs, 0)
  return runs ? `used ${plural(runs, 'time')}` : 'more'
})
const states = useStates()
const marks = useMarks()
const state = computed(() => {
  const fact = states.value.get(props.facts.id)
  return fact ? standing(fact) : null
})
const changes = useWhatIf(
  () => props.facts,
  () => props.chosen,
)
const isReport = computed(() => props.facts.kind === 'report')
const rows = computed(() => {
  const low = wanted.value.trim().toLowerCase()
  return low
    ? props.facts.columns.filter((c) => c.name.toLowerCase().includes(low))
    : props.facts.columns
})
const most = computed(() => Math.max(1, ...props.facts.columns.map((c) => c.reports)))

/** Where the rows stand, from the top of the panel. */
function place(): { top: number; bottom: number; scroll: number; index: Map<number, number> } {
  const list = columns.value
  const index = new Map(rows.value.map((column, i) => [column.id, i]))
  // Without the columns all lines end where they would begin.
  const bar = sides.value
  if (more.value && bar) return { top: bar.offsetTop, bottom: bar.offsetTop + 8, scroll: 0, index }
  if (!list) return { top: 0, bottom: 0, scroll: 0, index }
  return {
    top: list.offsetTop,
    bottom: list.offsetTop + list.clientHeight,
    scroll: list.scrollTop,
    index,
  }
}
function reveal(field: number) {
  const i = rows.value.findIndex((column) => column.id === field)
  const list = columns.value
  if (i < 0 || !list) return
  const y = i * ROW
  if (y < list.scrollTop) list.scrollTop = y
  else if (y > list.scrollTop + list.clientHeight - ROW)
    list.scrollTop = y - list.clientHeight + ROW
}
defineExpose({ place, reveal, rowHeight: ROW })
/** The job; or the place, where a text is by itself; or what of the database's own it is. */
function writer(definition: DatasetFacts['written_by'][number]): string {
  if (definition.job) return jobName(definition.job)
  if (definition.kind === 'declaration') return `declared, ${definition.place}`
  if (['file', 'query'].includes(definition.kind)) return definition.place
  return `${definition.kind.replace('_', ' ')} definition`
}
</script>

<template>
  <section class="here" :aria-label="`Here: ${facts.title}`">
    <h2>
      <span>here</span>
      <button v-if="onTrail" class="link" @click="emit('lower')">only the trail</button>
      <span v-else>{{ facts.kind }}</span>
    </h2>
    <h3>
      <KindGlyph :kind="facts.kind" />
      {{ facts.title }}
    </h3>
    <p v-if="facts.description" class="about">{{ facts.description }}</p>
    <p v-else class="about none">No description yet.</p>
    <dl>
      <template v-if="facts.placeholder">
        <dt>state</dt>
        <dd class="state warn">not scanned: known only from what names it</dd>
      </template>
      <template v-if="facts.gone_since">
        <dt>state</dt>
        <dd class="state bad" :title="exact(facts.gone_since)">
          gone since {{ ago(facts.gone_since) }}
        </dd>
      </template>
      <dt>in</dt>
      <dd :title="`${facts.namespace} ${facts.name}`">
        {{ isReport ? facts.container : facts.container.replaceAll('.', ' / ') }}
      </dd>
      <dt>owner</dt>
      <dd>{{ facts.owner ?? 'nobody named' }}</dd>
      <template v-if="facts.written_by.length && !isReport">
        <dt>written by</dt>
        <dd>
          <span
            v-for="definition in facts.written_by.slice(0, 2)"
            :key="definition.id"
            class="by"
            :title="`${definition.place}, version ${definition.version}`"
          >
            {{ writer(definition) }}
          </span>
        </dd>
      </template>
      <template v-if="state">
        <dt>filled</dt>
        <dd :title="state.told">
          <span class="state" :class="state.tone">{{ state.mark }} {{ state.text }}</span>
          <span v-if="state.text !== state.age" class="mute age">{{ state.age }}</span>
        </dd>
      </template>
      <template v-if="!isReport">
        <dt>read by</dt>
        <dd :title="facts.reports.join(', ')">
          {{ plural(facts.downstream, 'dataset') }}, {{ plural(facts.reports_total, 'report') }}
        </dd>
      </template>
      <template v-if="facts.rows !== null">
        <dt>rows</dt>
        <dd title="The planner's estimate at the last scan">about {{ count(facts.rows) }}</dd>
      </template>
      <template v-if="facts.scanned_at">
        <dt>scanned</dt>
        <dd :title="exact(facts.scanned_at)">{{ ago(facts.scanned_at) }}</dd>
      </template>
      <template v-if="facts.address">
        <dt>opens at</dt>
        <dd class="mono small">{{ facts.address }}</dd>
      </template>
      <template v-if="facts.feeds_itself">
        <dt>note</dt>
        <dd>feeds itself</dd>
      </template>
      <dt>runs</dt>
      <dd>
        <RouterLink :to="{ name: 'runs of a dataset', params: { dataset: String(facts.id) } }"
          >how it came to be</RouterLink
        >
      </dd>
      <template v-if="changes.length">
        <dt>what if</dt>
        <dd class="changes">
          <WhatIf :changes="changes" />
        </dd>
      </template>
      <template v-if="facts.unread">
        <dt>doubts</dt>
        <dd class="state warn">{{ plural(facts.unread, 'place') }} not fully read</dd>
      </template>
    </dl>
    <div ref="sides" class="sides" role="group" aria-label="Columns, or what stands behind">
      <button :aria-pressed="!more" :class="{ on: !more }" @click="turn(false)">
        {{ isReport ? 'elements' : 'columns' }}
      </button>
      <button
        :aria-pressed="more"
        :class="{ on: more, warn: facts.conflicts.length > 0 }"
        @click="turn(true)"
      >
        {{ behind }}
      </button>
    </div>
    <StandingFacts v-if="more" :facts="facts" @changed="emit('changed')" />
    <input
      v-if="!more && facts.columns.length > 14"
      v-model="wanted"
      type="search"
      class="filter"
      placeholder="filter columns…"
      aria-label="Filter columns"
    />
    <div
      v-show="!more"
      ref="columns"
      class="columns"
      tabindex="-1"
      @scroll="emit('scroll', columns?.scrollTop ?? 0)"
    >
      <button
        v-for="column in rows"
        :key="column.id"
        class="row"
        :class="{
          on: chosen.includes(column.id),
          lit: lit.has(column.id),
          at: cursor === `f${column.id}`,
          found: marks.fields.has(column.id),
        }"
        :data-field="column.id"
        :aria-pressed="chosen.includes(column.id)"
        :title="`${column.name}${column.description ? `: ${column.description}` : ''}\nShift adds it to the trail`"
        @click="emit('follow', column.id, facts.id, $event.shiftKey)"
        @mouseenter="emit('hover', column.id)"
        @mouseleave="emit('hover', null)"
      >
        <span class="name" :class="{ mono: !isReport }">{{ column.name }}</span>
        <span
          v-if="!isReport"
          class="bar"
          :style="{ width: `${(column.reports / most) * 56}px` }"
          :title="`reaches ${plural(column.reports, 'report')}`"
        ></span>
        <small>{{
          isReport
            ? column.kind
            : (column.type ?? (column.kind === 'star' ? 'all columns' : 'type unknown'))
        }}</small>
      </button>
      <p v-if="facts.columns.length < facts.columns_total" class="about">
        {{ count(facts.columns.length) }} of {{ count(facts.columns_total) }} shown,
        <button class="link" @click="emit('more')">show more</button>
      </p>
      <p v-if="!rows.length" class="about">
        {{ facts.columns.length ? 'No column is called so.' : 'No columns are known.' }}
      </p>
    </div>
  </section>
</template>

<style scoped>
.changes {
  display: flex;
  flex-wrap: wrap;
  gap: 0 10px;
}
.age {
  margin-left: 6px;
}
.here {
  position: relative;
  display: flex;
  flex-direction: column;
  min-height: 0;
  background: var(--sheet);
  border: 1px solid var(--hair);
  border-width: 0 1px;
  padding: 8px 14px 0;
}
h2 {
  font-size: 11px;
  display: flex;
  justify-content: space-between;
  color: var(--sign);
  border-bottom: 2px solid var(--sign);
  padding-bottom: 4px;
  margin-bottom: 8px;
}
h3 {
  font-size: 17px;
  line-height: 1.25;
  display: flex;
  gap: 7px;
  align-items: center;
  overflow-wrap: anywhere;
}
.about {
  margin: 3px 0 0;
  color: var(--mute);
  font-size: 12px;
}
dl {
  display: grid;
  grid-template-columns: 66px 1fr;
  gap: 2px 8px;
  font-size: 12px;
  margin: 8px 0 10px;
  border-top: 1px solid var(--hair);
  padding-top: 8px;
}
dt {
  color: var(--mute);
}
dd {
  margin: 0;
  min-width: 0;
  overflow-wrap: anywhere;
}
.by {
  display: block;
}
.small {
  font-size: 11px;
}
.filter {
  border: 0;
  border-top: 1px solid var(--hair);
  background: transparent;
  padding: 4px 0;
}
.sides {
  display: flex;
  gap: 14px;
  font-size: 11px;
}
.sides button {
  color: var(--mute);
  padding: 1px 0 3px;
}
.sides button.on {
  color: var(--ink);
  font-weight: 600;
}
.sides button.warn {
  color: var(--amber);
  font-weight: 600;
}
.columns {
  flex: 1;
  min-height: 60px;
  overflow: hidden auto;
  border-top: 1px solid var(--ink);
  scrollbar-width: thin;
}
.row {
  display: flex;
  align-items: center;
  gap: 8px;
  width: 100%;
  height: 24px;
  padding: 0 6px 0 2px;
  border-bottom: 1px solid var(--hair);
}
.name {
  flex: 1;
  font-size: 12px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.bar {
  height: 7px;
  background: var(--hair);
}
.row small {
  font-size: 11px;
  color: var(--mute);
  max-width: 84px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.row:hover,
.row.lit {
  background: var(--sign-wash);
}
.row.found {
  background: var(--mark);
}
.row.on {
  background: var(--sign);
  color: var(--sign-ink);
}
.row.on small {
  color: inherit;
}
.row.on .bar {
  background: var(--sign-soft);
}
.at {
  outline: 2px solid var(--sign);
  outline-offset: -2px;
}
</style>
