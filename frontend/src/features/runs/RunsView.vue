<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'
import { api, type Schemas } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import { useTyped } from '@/shared/composables/useTyped'
import { count, exact, plural } from '@/shared/format/humane'
import RunDetail from './RunDetail.vue'
import TimeTable from './TimeTable.vue'
import UsualMark from './UsualMark.vue'
import { useRunsFeed } from './useRunsFeed'
import { SPANS, spanOf, spanWords, type Span, type SpanName } from './span'
import { clock, shortJob, stateOf, type RunRow, took } from './words'

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
  (signal) => api.runs({ ...query.value, limit: 60 }, signal),
)
const { data: table } = useAsked(
  () => (here() ? ['timetable', query.value] : null),
  (signal) => api.timetable(query.value, signal),
)
const { data: searches, reload: readSearches } = useAsked(
  () => (here() ? ['searches'] : null),
  (signal) => api.searches(signal),
)

// --- live: a quiet mark says that there is more; what is being read stays where it is ---
const fresh = ref(false)
const { away } = useRunsFeed(() => (fresh.value = true))
useIntervalFn(() => {
  // While nothing is open, the list may go on by itself.
  if (fresh.value && here() && !opened.value.size && !extra.value.length) refresh()
}, 3_000)
function refresh() {
  fresh.value = false
  now.value = new Date()
}

// --- pages ---
const extra = ref<RunRow[]>([])
const cursor = ref<string | null>(null)
watch(
  data,
  (page) => {
    extra.value = []
    cursor.value = page?.next ?? null
  },
  { immediate: true },
)
const refused = ref('')
async function loadMore() {
  if (!cursor.value) return
  try {
    const page = await api.runs({ ...query.value, limit: 60, cursor: cursor.value })
    extra.value = [...extra.value, ...page.items]
    cursor.value = page.next
    refused.value = ''
  } catch (reason) {
    refused.value = reason instanceof Error ? reason.message : 'The rest could not be read.'
  }
}
const rows = computed(() => [...(data.value?.items ?? []), ...extra.value])

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

// --- searches that are kept ---
const naming = ref<string | null>(null)
async function keep() {
  const name = naming.value?.trim()
  if (!name) return
  try {
    const kept: Record<string, unknown> = { q: query.value.q, span: named.value ?? 'day' }
    for (const facet of FACETS) if (list(facet).length) kept[facet] = list(facet)
    await api.keepSearch(name, kept)
    naming.value = null
    refused.value = ''
    await readSearches()
  } catch (reason) {
    refused.value = reason instanceof Error ? reason.message : 'The search could not be kept.'
  }
}
async function letGo(id: number) {
  await api.letSearchGo(id)
  await readSearches()
}
function recall(one: Schemas['KeptSearchFact']) {
  now.value = new Date()
  void router.push({ query: one.query as LocationQueryRaw })
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
  const page = data.value
  if (!page || facet === 'state' || page.facets_of >= page.total) return undefined
  return `counted of the latest ${count(page.facets_of)}`
}
function label(facet: Facet, one: Schemas['RunFacet']): string {
  return facet === 'state'
    ? `${stateOf(one.value).mark} ${stateOf(one.value).word}`
    : one.label.replaceAll('.', ' / ')
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
          title="Words, * for anything; states; job: read: wrote: dataset: column: run: who: longer: shorter: rows:"
          @input="search"
        />
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
        <template v-if="data?.facets[facet]?.length">
          <h2 :title="facetsOf(facet)">{{ TITLES[facet] }}</h2>
          <label v-for="one in data.facets[facet]" :key="one.value">
            <input
              type="checkbox"
              :checked="list(facet).includes(one.value)"
              @change="toggle(facet, one.value)"
            />
            <span :class="facet === 'state' ? ['state', stateOf(one.value).tone] : ''">{{
              label(facet, one)
            }}</span>
            <small>{{ count(one.count) }}</small>
          </label>
        </template>
      </section>
      <section>
        <h2>Kept searches</h2>
        <p v-for="one in searches ?? []" :key="one.id" class="kept">
          <button class="link" @click="recall(one)">{{ one.name }}</button>
          <button
            class="mute"
            :aria-label="`Let “${one.name}” go`"
            title="let it go"
            @click="letGo(one.id)"
          >
            ×
          </button>
        </p>
        <form v-if="naming !== null" @submit.prevent="keep">
          <input
            v-model="naming"
            class="within"
            aria-label="Name of the search"
            placeholder="a name, then Enter"
            maxlength="100"
            @keydown.esc="naming = null"
          />
        </form>
        <button v-else class="link" @click="naming = ''">keep this one</button>
      </section>
    </aside>
    <div class="ledger">
      <TimeTable
        :table="table"
        :buckets="data?.buckets ?? []"
        :span="span"
        :lit="lit"
        @choose="choose"
        @open="open"
        @light="lit = $event"
      />
      <p v-if="error" class="note state bad" role="alert">{{ error }}</p>
      <p v-if="refused" class="note state bad" role="alert">{{ refused }}</p>
      <p v-if="!data && loading" class="note">Reading the ledger…</p>
      <p v-else-if="data && !rows.length && !apart.length" class="note">
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
      <template v-if="data && (rows.length || apart.length)">
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
            <UsualMark :value="row.took" :usual="row.usual_took" :say="took">
              <span class="number">{{
                row.took !== null
                  ? took(row.took)
                  : row.state === 'running'
                    ? took((now.getTime() - new Date(row.started_at).getTime()) / 1000)
                    : ''
              }}</span>
            </UsualMark>
            <UsualMark :value="row.rows" :usual="row.usual_rows" :say="(n) => count(Math.round(n))">
              <span class="number">{{ row.rows === null ? '' : count(row.rows) }}</span>
            </UsualMark>
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
          {{ count(rows.length) }} of {{ plural(data.total, 'run') }},
          {{ plural(data.events, 'event') }} in this time.
          <button v-if="cursor" class="link" @click="loadMore">show more</button>
          <a :href="asFile('csv')" download>all as CSV</a>
          <a :href="asFile('ndjson')" download>JSON</a>
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
label {
  display: flex;
  gap: 7px;
  align-items: center;
  padding: 2px 0;
  cursor: pointer;
}
label span {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
label small {
  color: var(--mute);
}
input[type='checkbox'] {
  accent-color: var(--sign);
  margin: 0;
}
.kept {
  display: flex;
  justify-content: space-between;
  margin: 2px 0;
}
.within {
  width: 100%;
  border: 0;
  border-bottom: 1px solid var(--hair);
  background: transparent;
  padding: 2px 0;
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
.number {
  display: inline-block;
  min-width: 62px;
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
