<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import { computed, ref, useTemplateRef } from 'vue'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'
import { api } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import { usePages } from '@/shared/composables/usePages'
import { useTyped } from '@/shared/composables/useTyped'
import { count, exact, plural } from '@/shared/format/humane'
import FacetList from '@/shared/components/FacetList.vue'
import PictureLinks from '@/shared/components/PictureLinks.vue'
import EventList from './EventList.vue'
import KeptSearches from './KeptSearches.vue'
import RunDetail from './RunDetail.vue'
import RunNumbers from './RunNumbers.vue'
import TimeTable from './TimeTable.vue'
import { useRunsFeed } from './useRunsFeed'
import { SPANS, spanOf, spanWords, type Span, type SpanName } from './span'
import { clock, shortJob, stateOf, type RunRow } from './words'

const FACETS = ['state', 'pipeline', 'who', 'wrote'] as const
type Facet = (typeof FACETS)[number]
const TITLES: Record<Facet, string> = {
  state: 'State',
  pipeline: 'Pipeline',
  who: 'Who',
  wrote: 'Wrote to',
}

const route = useRoute()
const router = useRouter()
const here = () => route.name === 'runs'

function list(name: string): string[] {
  const value = route.query[name]
  return (Array.isArray(value) ? value : value ? [value] : []).map(String)
}
function go(query: LocationQueryRaw, replace = false) {
  const merged: LocationQueryRaw = { ...route.query, ...query }
  for (const key of Object.keys(merged)) if (merged[key] === undefined) delete merged[key]
  void (replace ? router.replace({ query: merged }) : router.push({ query: merged }))
}

/** The time goes on: a span that ends now moves with it, each time runs have changed. */
const now = ref(new Date())
const span = computed<Span>(() =>
  spanOf(route.query.span, route.query.since, route.query.until, now.value),
)
const named = computed<SpanName | null>(() =>
  route.query.since ? null : (SPANS.find((one) => one === route.query.span) ?? 'day'),
)
const query = computed(() => ({
  q: String(route.query.q ?? ''),
  ...Object.fromEntries(FACETS.map((facet) => [facet, list(facet)])),
  since: span.value.since.toISOString(),
  until: span.value.until.toISOString(),
}))
const { words, typed: search } = useTyped(
  computed(() => query.value.q),
  (q) => go({ q: q || undefined }, true),
)

const { data, error, loading } = useAsked(
  () => (here() ? ['runs', query.value] : null),
  (signal) => api.runs({ ...query.value, limit: 60, counted: false }, signal),
)
// Who looks for a run does not wait until all are counted.
const { data: counts, error: countsError } = useAsked(
  () => (here() ? ['run counts', query.value] : null),
  (signal) => api.runCounts(query.value, signal),
)
const { data: table } = useAsked(
  () => (here() ? ['timetable', query.value] : null),
  (signal) => api.timetable(query.value, signal),
)

// --- live: a quiet mark says that there is more; what is being read stays where it is ---
const fresh = ref(false)
const { away } = useRunsFeed(() => (fresh.value = true))
useIntervalFn(() => {
  // While nothing is open, the list may go on by itself.
  if (fresh.value && here() && !opened.value.size && rows.value.length <= 60) refresh()
}, 3_000)
function refresh() {
  fresh.value = false
  now.value = new Date()
}

// --- pages ---
const {
  items: rows,
  more: loadMore,
  next: cursor,
  refused,
} = usePages<RunRow>(data, (after) => api.runs({ ...query.value, limit: 60, cursor: after }))

// --- events by themselves ---
const asEvents = computed(() => route.query.list === 'events')
const { data: received, error: eventsError } = useAsked(
  () => (here() && asEvents.value ? ['events', query.value] : null),
  (signal) => api.events({ ...query.value, limit: 60 }, signal),
)
const {
  items: events,
  more: moreEvents,
  next: eventsCursor,
  refused: eventsRefused,
} = usePages(received, (after) => api.events({ ...query.value, limit: 60, cursor: after }))

// --- one run opens in place ---
const opened = computed(() => new Set(list('run')))
const apart = computed(() =>
  [...opened.value].filter((run) => !rows.value.some((one) => one.run === run)),
)
function turn(run: string) {
  const kept = new Set(opened.value)
  if (!kept.delete(run)) kept.add(run)
  go({ run: kept.size ? [...kept] : undefined }, true)
}
function open(run: string) {
  if (!opened.value.has(run)) turn(run)
  requestAnimationFrame(() =>
    document.getElementById(`run-${run}`)?.scrollIntoView({ block: 'nearest' }),
  )
}
const lit = ref<string | null>(null)
const ledger = useTemplateRef<HTMLElement>('ledger')

function toggle(facet: Facet, value: string) {
  const kept = new Set(list(facet))
  if (!kept.delete(value)) kept.add(value)
  go({ [facet]: kept.size ? [...kept] : undefined })
}
function choose(chosen: Span) {
  go({ since: chosen.since.toISOString(), until: chosen.until.toISOString(), span: undefined })
}
function spanTo(name: SpanName) {
  now.value = new Date()
  go({ span: name, since: undefined, until: undefined })
}
const anyChosen = computed(() => words.value !== '' || FACETS.some((facet) => list(facet).length))

const toKeep = computed(() => {
  const kept: Record<string, unknown> = { q: query.value.q, span: named.value ?? 'day' }
  for (const facet of FACETS) if (list(facet).length) kept[facet] = list(facet)
  return kept
})
function recall(kept: Record<string, unknown>) {
  now.value = new Date()
  void router.push({ query: kept as LocationQueryRaw })
}
/** Where all that is found is to be had as a file. */
function asFile(form: string): string {
  const asked = new URLSearchParams({ form })
  for (const [name, value] of Object.entries(query.value))
    for (const one of Array.isArray(value) ? value : [value]) if (one) asked.append(name, one)
  return `/api/v1/runs/all?${asked}`
}
/** Facets are counted of the latest runs, where there are very many. */
function facetsOf(facet: Facet): string | undefined {
  const all = counts.value
  if (!all || facet === 'state' || all.facets_of >= all.total) return undefined
  return `counted of the latest ${count(all.facets_of)}`
}
function valuesOf(facet: Facet) {
  return (counts.value?.facets[facet] ?? []).map((one) => {
    if (facet !== 'state') return { ...one, label: one.label.replaceAll('.', ' / ') }
    const { mark, word, tone } = stateOf(one.value)
    return { ...one, label: `${mark} ${word}`, tone }
  })
}
</script>

<template>
  <main class="runs">
    <Teleport defer to="#page-title">
      <div class="head">
        <h1 class="name">Runs</h1>
        <ElInput
          v-model="words"
          class="search"
          placeholder="tidy.* failed longer:10m…"
          clearable
          aria-label="Search runs"
          title="Words, * for anything; states; job: read: wrote: dataset: column: run: who: type: longer: shorter: rows: larger:"
          @input="search"
        />
        <span class="lists" role="group" aria-label="Runs, or the events that they are made of">
          <button
            :class="{ on: !asEvents }"
            :aria-pressed="!asEvents"
            @click="go({ list: undefined })"
          >
            runs
          </button>
          <button
            :class="{ on: asEvents }"
            :aria-pressed="asEvents"
            @click="go({ list: 'events' })"
          >
            events
          </button>
        </span>
        <span class="spans">
          <span class="mute when">{{ spanWords(span) }}</span>
          <button
            v-for="one in SPANS"
            :key="one"
            :class="{ on: named === one }"
            :aria-pressed="named === one"
            @click="spanTo(one)"
          >
            {{ one }}
          </button>
        </span>
      </div>
    </Teleport>
    <aside aria-label="Narrow down">
      <section v-for="facet in FACETS" :key="facet">
        <template v-if="counts?.facets[facet]?.length">
          <FacetList
            :title="TITLES[facet]"
            :hint="facetsOf(facet)"
            :values="valuesOf(facet)"
            :chosen="list(facet)"
            @toggle="toggle(facet, $event)"
          />
        </template>
      </section>
      <KeptSearches :query="toKeep" @recall="recall" />
    </aside>
    <div ref="ledger" class="ledger">
      <TimeTable
        :table="table"
        :buckets="counts?.buckets ?? []"
        :span="span"
        :lit="lit"
        @choose="choose"
        @open="open"
        @light="lit = $event"
      />
      <p v-if="error" class="note state bad" role="alert">{{ error }}</p>
      <p v-if="refused" class="note state bad" role="alert">{{ refused }}</p>
      <p v-if="countsError && countsError !== error" class="note state bad" role="alert">
        {{ countsError }}
      </p>
      <p v-if="!data && loading" class="note">Reading the ledger…</p>
      <p v-else-if="data && !asEvents && !rows.length && !apart.length" class="note">
        <template v-if="anyChosen"
          >Nothing of this kind ran in this time. Take a choice away, or look at more
          time.</template
        >
        <template v-else
          >Nothing ran in this time. Runs are told to Jalan as OpenLineage events, at
          <code>/api/v1/lineage</code>; <code>jalan run --job NAME -- COMMAND</code> tells of a
          command.</template
        >
      </p>
      <template v-if="asEvents">
        <p v-if="eventsError ?? eventsRefused" class="note state bad" role="alert">
          {{ eventsError ?? eventsRefused }}
        </p>
        <EventList :events="events" named />
        <p class="note foot">
          <template v-if="received && !events.length">No event of this kind in this time.</template>
          <button v-if="eventsCursor" class="link" @click="moreEvents">show more</button>
          <button v-if="fresh" class="link" @click="refresh">newer ones have come</button>
        </p>
      </template>
      <template v-else-if="data && (rows.length || apart.length)">
        <div class="row heads">
          <span>began</span><span>job</span><span>state</span><span>took, and usually</span
          ><span>rows, and usually</span><span>code</span><span>called by</span>
        </div>
        <div v-for="run in apart" :id="`run-${run}`" :key="run" class="opened">
          <div class="row">
            <button class="mute" @click="turn(run)">close</button>
            <span class="mute">from another time, or not among what was searched for</span>
          </div>
          <RunDetail :run="run" @open="open" />
        </div>
        <div
          v-for="row in rows"
          :id="`run-${row.run}`"
          :key="row.run"
          :class="{ opened: opened.has(row.run), lit: lit === row.run }"
          @pointerenter="lit = row.run"
          @pointerleave="lit = null"
        >
          <button class="row" :aria-expanded="opened.has(row.run)" @click="turn(row.run)">
            <span :title="exact(row.started_at)">{{ clock(row.started_at, span.until) }}</span>
            <span class="job" :title="`${row.job.namespace} ${row.job.name}`">
              <template v-if="row.parent_job">{{ row.parent_job.name.split('.')[0] }} ▸ </template>
              <b>{{
                shortJob(row.job.name, row.parent_job?.name ?? row.job.name.split('.')[0])
              }}</b>
              <small v-if="row.message">{{ row.message }}</small>
            </span>
            <span class="state" :class="stateOf(row.state).tone"
              >{{ stateOf(row.state).mark }} {{ stateOf(row.state).word }}</span
            >
            <RunNumbers :row="row" :now="now" />
            <span class="code"
              >{{ row.version === null ? '' : `v${row.version}`
              }}<template v-if="row.is_new">, new</template></span
            >
            <span class="mute by">{{
              [row.parent_job?.name, row.who].filter(Boolean).join(' ▸ ') || 'nobody told'
            }}</span>
          </button>
          <RunDetail v-if="opened.has(row.run)" :run="row.run" @open="open" />
        </div>
        <p class="note foot">
          <template v-if="counts"
            >{{ count(rows.length) }} of {{ plural(counts.total, 'run') }},
            {{ plural(counts.events, 'event') }} in this time.</template
          >
          <template v-else-if="!countsError">Counting them…</template>
          <button v-if="cursor" class="link" @click="loadMore">show more</button>
          <a :href="asFile('csv')" download>all as CSV</a>
          <a :href="asFile('ndjson')" download>JSON</a>
          <PictureLinks :of="() => ledger" :name="`Runs, ${spanWords(span)}`" />
          <button v-if="fresh" class="link" @click="refresh">newer ones have come</button>
          <span v-if="away" class="mute">not followed at the moment</span>
        </p>
      </template>
    </div>
  </main>
</template>

<style scoped>
.runs {
  display: grid;
  grid-template-columns: 194px minmax(0, 1fr);
  min-height: 0;
}
.head {
  display: flex;
  gap: 20px;
  align-items: center;
  min-width: 0;
}
.name {
  font-size: 16px;
}
.search {
  width: 230px;
  flex: none;
}
.spans {
  margin-left: auto;
  display: flex;
  gap: 16px;
  white-space: nowrap;
}
.lists {
  display: flex;
  gap: 12px;
}
.lists .on,
.spans .on {
  font-weight: 600;
}
.when {
  overflow: hidden;
  text-overflow: ellipsis;
}
aside {
  border-right: 1px solid var(--hair);
  overflow: auto;
  padding: 10px 14px 20px 20px;
  font-size: 12px;
}
aside h2 {
  font-size: 11px;
  color: var(--mute);
  margin: 10px 0 3px;
}
.ledger {
  overflow: auto;
  padding: 10px 20px 30px;
}
.row {
  display: grid;
  grid-template-columns: 92px minmax(150px, 1fr) 76px 150px 150px 66px minmax(90px, 0.6fr);
  gap: 12px;
  align-items: baseline;
  width: 100%;
  padding: 5px 12px;
  border-bottom: 1px solid var(--hair);
}
button.row:hover {
  background: var(--sign-wash);
}
.heads {
  font-size: 11px;
  color: var(--mute);
  border-bottom: 2px solid var(--hair);
  position: sticky;
  top: -10px;
  background: var(--paper);
  z-index: 1;
}
.lit > .row {
  background: var(--sign-wash);
}
.opened {
  background: var(--sheet);
  border-top: 1px solid var(--ink);
  border-bottom: 1px solid var(--ink);
}
.opened > .row {
  border-bottom: 0;
}
.job {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.job small {
  color: var(--mute);
  margin-left: 8px;
}
b {
  font-weight: 600;
}
.code {
  font-family: var(--mono);
  font-size: 12px;
  color: var(--sign);
}
.by {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.note {
  color: var(--mute);
  padding: 10px 12px;
}
.foot {
  display: flex;
  gap: 14px;
}
</style>
