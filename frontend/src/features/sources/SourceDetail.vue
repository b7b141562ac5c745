<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api, type SourceFact } from '@/api/client'
import { ago, count, exact, lasting, plural, share, until } from '@/shared/format/humane'
import { useAttempt } from '@/shared/composables/useAttempt'
import { useAsked } from '@/shared/composables/useAsked'
import CoveragePast from './CoveragePast.vue'
import CoverageStroke from './CoverageStroke.vue'
import DeclarationList from './DeclarationList.vue'
import UnreadList from './UnreadList.vue'
import { useIngestion } from './useIngestion'
import { changed, found, fraction, secretPlace, stateWord } from './words'

const props = defineProps<{ source: SourceFact }>()
const emit = defineEmits<{ changed: [] }>()
const router = useRouter()
const { problem, attempt } = useAttempt()
const stamp = ref(0)
const { data: ingestions } = useAsked(
  () => ['ingestions', props.source.id, props.source.last_ingestion?.id, stamp.value],
  (signal) => api.ingestions(props.source.id, signal),
)
const {
  ingestion: now,
  lost,
  watch: follow,
  clear,
} = useIngestion(() => {
  stamp.value++
  emit('changed')
})

const atWork = computed(() => (now.value?.state === 'running' ? now.value : null))
const lastBad = computed(() => {
  const last = props.source.last_ingestion
  return !atWork.value && last && last.state !== 'done' ? last : null
})
const notes = computed(() => props.source.last_done?.notes ?? [])

watch(
  () => props.source.id,
  () => {
    clear()
    problem.value = null
    asking.value = false
  },
)
watch(
  () => [props.source.id, props.source.ongoing?.id] as const,
  ([, ongoing]) => {
    if (ongoing && now.value?.id !== ongoing) follow(ongoing)
  },
  { immediate: true },
)

const start = () =>
  attempt(async () => {
    follow((await api.startIngestion(props.source.id)).id)
    emit('changed')
  })
const stop = () => attempt(() => api.stopIngestion(atWork.value!.id))
/** Removing is asked twice, here and not in a window over everything. */
const asking = ref(false)
const remove = () =>
  attempt(async () => {
    await api.removeSource(props.source.id)
    await router.push({ name: 'sources' })
    emit('changed')
  })

const settings = computed(() =>
  Object.entries(props.source.config)
    .filter(([key, value]) => key !== 'kind' && value !== null && value !== '' && !isEmpty(value))
    .map(([key, value]) => ({ key: key.replaceAll('_', ' '), value: shown(value) })),
)
function isEmpty(value: unknown): boolean {
  return typeof value === 'object' && value !== null && Object.keys(value).length === 0
}
function shown(value: unknown): string {
  return typeof value === 'string' || typeof value === 'number'
    ? String(value)
    : JSON.stringify(value, (_, one: unknown) => one ?? undefined, 1).replaceAll(/\n\s*/g, ' ')
}
</script>

<template>
  <article class="detail" :aria-label="source.name">
    <header>
      <div>
        <h2>{{ source.name }}</h2>
        <p class="mute">
          {{ source.kind_title }},
          {{ source.schedule ? `next ${until(source.next_run)}` : 'ingested when asked' }}
        </p>
      </div>
      <div class="acts">
        <button v-if="atWork" class="act" :disabled="atWork.stopping" @click="stop">
          {{ atWork.stopping ? 'Stopping…' : 'Stop' }}
        </button>
        <button v-else class="act main" @click="start">Ingest now</button>
        <RouterLink class="act" :to="{ name: 'add source', query: { change: String(source.id) } }">
          Change
        </RouterLink>
        <button class="act" :aria-expanded="asking" @click="asking = !asking">Remove…</button>
      </div>
    </header>
    <p v-if="asking" class="trouble" role="alertdialog" aria-label="Remove it?">
      It is brought up to date no more. What it has brought stays, with its history.
      <button class="link" @click="remove">Remove it</button>
      <button class="link" @click="asking = false">Keep it</button>
    </p>
    <p v-if="problem" class="state bad" role="alert">{{ problem }}</p>
    <div v-if="atWork" class="progress" role="status">
      <div class="way" :class="{ unknown: fraction(atWork) === null }">
        <i :style="{ width: `${(fraction(atWork) ?? 0.3) * 100}%` }"></i>
      </div>
      <p>
        {{ atWork.progress?.what ?? 'starting' }}
        <template v-if="atWork.progress && atWork.progress.total > 0">
          {{ count(atWork.progress.done) }} of {{ count(atWork.progress.total) }}
        </template>
        <span v-if="lost" class="state warn">connection lost, asking again…</span>
      </p>
    </div>
    <p v-if="lastBad" class="trouble" role="alert">
      <b class="state" :class="lastBad.state === 'failed' ? 'bad' : 'warn'">{{
        stateWord(lastBad)
      }}</b>
      {{ ago(lastBad.finished_at) }}: {{ lastBad.message }}. What was there before is still there.
    </p>

    <div class="columns">
      <section>
        <h3>What it has brought</h3>
        <p v-if="source.last_done">{{ found(source.last_done) }}</p>
        <p v-else class="mute">Nothing yet: no ingestion has come to its end.</p>
        <h3>How far it was read</h3>
        <CoverageStroke v-if="source.coverage.full_share !== null" :coverage="source.coverage" />
        <p v-if="source.coverage.full_share !== null" class="small">
          {{ count(source.coverage.full) }} of
          {{
            plural(source.coverage.full + source.coverage.part + source.coverage.none, 'statement')
          }}
          in full, {{ count(source.coverage.part) }} in part, {{ count(source.coverage.none) }} not
          at all<template v-if="source.coverage.columns"
            >; the sources of {{ share(source.coverage.resolved_share) }} of
            {{ plural(source.coverage.columns, 'column') }} are known for sure
          </template>
        </p>
        <p v-else class="mute">It has brought no texts to read.</p>
        <CoveragePast v-if="ingestions" :ingestions="ingestions" />
      </section>
      <section>
        <h3>Ingestions</h3>
        <p v-if="ingestions && !ingestions.length" class="mute">None yet.</p>
        <table v-else>
          <tbody>
            <tr v-for="one in (ingestions ?? []).slice(0, 8)" :key="one.id">
              <td :title="exact(one.started_at)">{{ ago(one.started_at) }}</td>
              <td>
                <span
                  class="state"
                  :class="{
                    bad: one.state === 'failed',
                    warn: ['cancelled', 'running'].includes(one.state),
                  }"
                  >{{ stateWord(one) }}</span
                >
              </td>
              <td class="what" :title="`by ${one.who}`">{{ changed(one) }}</td>
              <td class="mute">{{ lasting(one.duration) }}</td>
            </tr>
          </tbody>
        </table>
      </section>
    </div>

    <section v-if="source.kind === 'declared' && !source.config.location">
      <h3>What is declared</h3>
      <DeclarationList @changed="emit('changed')" />
    </section>
    <section>
      <h3>Not understood</h3>
      <UnreadList :source="source.id" :stamp="stamp" />
      <template v-if="notes.length">
        <h3>Notes of the last ingestion</h3>
        <ul class="notes">
          <li v-for="(note, i) in notes.slice(0, 40)" :key="i">
            <span
              class="state"
              :class="{ warn: note.level === 'warning', bad: note.level === 'error' }"
              >{{ note.level }}</span
            >
            {{ note.message }} <span class="mono mute">{{ note.place }}</span>
          </li>
        </ul>
      </template>
    </section>
    <section>
      <h3>How it is reached</h3>
      <dl>
        <template v-for="one in settings" :key="one.key">
          <dt>{{ one.key }}</dt>
          <dd class="mono">{{ one.value }}</dd>
        </template>
        <template v-for="(where, path) in source.secrets" :key="path">
          <dt>{{ String(path).replaceAll('_', ' ') }}</dt>
          <dd>{{ secretPlace(where) }}</dd>
        </template>
        <dt>added</dt>
        <dd :title="exact(source.created_at)">
          {{ ago(source.created_at) }} by {{ source.created_by }}
        </dd>
      </dl>
    </section>
  </article>
</template>

<style scoped>
.detail {
  overflow: auto;
  padding: 16px 24px 40px;
  background: var(--sheet);
  border-left: 1px solid var(--hair);
}
header {
  display: flex;
  justify-content: space-between;
  gap: 16px;
}
h2 {
  font-size: 19px;
}
h3 {
  font-size: 11px;
  color: var(--mute);
  border-bottom: 2px solid var(--hair);
  padding-bottom: 4px;
  margin: 18px 0 8px;
}
p {
  margin: 0 0 4px;
}
.acts {
  display: flex;
  gap: 6px;
  align-items: start;
}
.act {
  border: 1px solid var(--hair-strong);
  border-radius: 3px;
  padding: 4px 11px;
  line-height: 18px;
  color: var(--ink);
  background: var(--paper);
}
.act:hover {
  border-color: var(--sign);
  text-decoration: none;
}
.act.main {
  background: var(--sign);
  border-color: var(--sign);
  color: var(--sign-ink);
}
.progress {
  margin: 12px 0 0;
}
.way {
  height: 6px;
  background: var(--hair);
  overflow: hidden;
}
.way i {
  display: block;
  height: 100%;
  background: var(--sign);
  transition: width 0.3s;
}
.way.unknown i {
  animation: along 1.4s linear infinite;
}
@keyframes along {
  from {
    transform: translateX(-100%);
  }
  to {
    transform: translateX(340%);
  }
}
@media (prefers-reduced-motion: reduce) {
  .way.unknown i {
    animation: none;
  }
}
.trouble {
  border-left: 3px solid var(--brick);
  padding: 4px 10px;
  margin: 12px 0 0;
}
.columns {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 0 32px;
}
.small {
  font-size: 12px;
  color: var(--mute);
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 12px;
}
td {
  padding: 3px 10px 3px 0;
  border-bottom: 1px solid var(--hair);
  white-space: nowrap;
}
td.what {
  white-space: normal;
  overflow-wrap: anywhere;
  width: 100%;
}
.notes {
  list-style: none;
  margin: 0;
  padding: 0;
  font-size: 12px;
}
.notes li {
  padding: 3px 0;
  border-bottom: 1px solid var(--hair);
  overflow-wrap: anywhere;
}
dl {
  display: grid;
  grid-template-columns: 130px 1fr;
  gap: 3px 12px;
  margin: 0;
  font-size: 12px;
}
dt {
  color: var(--mute);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
@media (width <= 1150px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
