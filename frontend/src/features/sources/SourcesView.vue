<script setup lang="ts">
import { computed, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, type SourceFact } from '@/api/client'
import SourceGlyph from '@/shared/components/SourceGlyph.vue'
import { ago, count, exact, plural } from '@/shared/format/humane'
import CoverageStroke from './CoverageStroke.vue'
import SourceDetail from './SourceDetail.vue'
import { found, place, stateWord } from './words'
import { useAsked } from '@/shared/composables/useAsked'

const route = useRoute()
const router = useRouter()
// What others start, and what its schedule starts, shows here too.
const {
  data,
  error,
  loading,
  reload: refresh,
} = useAsked(['sources'], api.sources, { every: 5000 })

const chosen = computed(
  () => data.value?.find((source) => String(source.id) === route.params.source) ?? null,
)
watch(
  () => [data.value, route.params.source, route.name] as const,
  ([all, source, name]) => {
    const first = all?.[0]
    if (name === 'sources' && !source && first) {
      void router.replace({ name: 'sources', params: { source: String(first.id) } })
    }
  },
)
function state(source: SourceFact): { word: string; tone: string } {
  if (source.ongoing) return { word: stateWord(source.ongoing), tone: 'warn' }
  const last = source.last_ingestion
  if (!last) return { word: 'never ingested', tone: 'warn' }
  return last.state === 'done'
    ? { word: '', tone: '' }
    : { word: stateWord(last), tone: last.state === 'failed' ? 'bad' : 'warn' }
}
function step(by: number) {
  const all = data.value ?? []
  const at = all.findIndex((source) => source.id === chosen.value?.id)
  const next = all[Math.min(all.length - 1, Math.max(0, at + by))]
  if (next) void router.replace({ name: 'sources', params: { source: String(next.id) } })
}
</script>

<template>
  <main class="sources">
    <Teleport defer to="#page-title">
      <div class="title">
        <h1 class="name">Sources</h1>
        <RouterLink :to="{ name: 'add source' }" class="add">Add a source</RouterLink>
      </div>
    </Teleport>
    <p v-if="error && !data" class="note state bad" role="alert">{{ error }}</p>
    <p v-else-if="!data && loading" class="note">Reading…</p>
    <section v-else-if="data && !data.length" class="note">
      <p>Nothing feeds Jalan yet.</p>
      <p>
        <RouterLink :to="{ name: 'add source' }">Add a source</RouterLink>: a database, a
        repository, a query history, a service of reports, spreadsheets of metadata, or what people
        declare.
      </p>
    </section>
    <template v-else-if="data">
      <nav
        class="list"
        aria-label="Sources"
        @keydown.down.prevent="step(1)"
        @keydown.up.prevent="step(-1)"
      >
        <RouterLink
          v-for="source in data"
          :key="source.id"
          :to="{ name: 'sources', params: { source: String(source.id) } }"
          class="one"
          :class="{ on: source.id === chosen?.id }"
          :aria-current="source.id === chosen?.id"
        >
          <SourceGlyph :kind="source.kind" />
          <span class="what">
            <b>{{ source.name }}</b>
            <small class="mono">{{ place(source) }}</small>
            <small>{{ found(source.last_done) }}</small>
          </span>
          <span class="side">
            <small :title="exact(source.last_done?.finished_at)">
              <span v-if="state(source).word" class="state" :class="state(source).tone">{{
                state(source).word
              }}</span>
              <template v-else>{{ ago(source.last_done?.finished_at) }}</template>
            </small>
            <CoverageStroke
              v-if="source.coverage.full_share !== null"
              :coverage="source.coverage"
            />
            <small v-if="source.unread" class="state warn"
              >{{ plural(source.unread, 'place') }} not understood</small
            >
          </span>
        </RouterLink>
        <p class="sum mute">
          {{ plural(data.length, 'source') }},
          {{ count(data.reduce((sum, source) => sum + source.unread, 0)) }} places not understood
        </p>
      </nav>
      <SourceDetail v-if="chosen" :source="chosen" @changed="refresh" />
      <p v-else-if="$route.params.source" class="note">
        There is no such source any more. Choose one from the list.
      </p>
    </template>
  </main>
</template>

<style scoped>
.sources {
  display: grid;
  grid-template-columns: minmax(320px, 420px) minmax(0, 1fr);
  min-height: 0;
}
.title {
  display: flex;
  align-items: center;
  justify-content: space-between;
}
.name {
  font-size: 16px;
}
.add {
  border: 1px solid var(--sign);
  border-radius: 3px;
  padding: 4px 12px;
}
.add:hover {
  background: var(--sign-wash);
  text-decoration: none;
}
.note {
  grid-column: 1 / -1;
  padding: 18px 24px;
  margin: 0;
}
.list {
  overflow: auto;
  padding: 6px 0 20px;
}
.one {
  display: flex;
  gap: 10px;
  padding: 8px 14px 8px 17px;
  border-bottom: 1px solid var(--hair);
  border-left: 3px solid transparent;
  color: var(--ink);
}
.one:hover {
  background: var(--sign-wash);
  text-decoration: none;
}
.one.on {
  background: var(--sheet);
  border-left-color: var(--sign);
}
.one .glyph {
  margin-top: 2px;
}
.what {
  flex: 1;
  min-width: 0;
  display: grid;
}
.what b {
  font-weight: 600;
}
small {
  font-size: 11px;
  color: var(--mute);
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.side {
  width: 142px;
  flex: none;
  display: grid;
  align-content: start;
  gap: 2px;
  text-align: right;
}
.side .state.warn {
  color: var(--amber);
}
.side .state.bad {
  color: var(--brick);
}
.sum {
  padding: 10px 17px;
  margin: 0;
  font-size: 12px;
}
@media (width <= 1100px) {
  .sources {
    grid-template-columns: 320px minmax(0, 1fr);
  }
}
</style>
