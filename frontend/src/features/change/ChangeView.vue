<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api } from '@/api/client'
import PictureLinks from '@/shared/components/PictureLinks.vue'
import { useAsked } from '@/shared/composables/useAsked'
import { count, plural } from '@/shared/format/humane'
import ConsequenceRow from './ConsequenceRow.vue'
import EditedQuery from './EditedQuery.vue'
import StoppedTexts from './StoppedTexts.vue'
import SubjectName from './SubjectName.vue'
import { KINDS, asText, grouped, holds, type Grouping } from './consequences'

const route = useRoute()
const router = useRouter()
const here = () => route.name === 'change'
const written = ref(String(route.query.sql ?? ''))
const settled = refDebounced(written, 350)
const database = computed(() => (route.query.in ? String(route.query.in) : undefined))

// What is written is in the address, so that it can be sent to somebody; what comes by an address is written.
watch(settled, (sql) => {
  if (here() && sql !== String(route.query.sql ?? ''))
    void router.replace({ query: { ...route.query, sql: sql.trim() ? sql : undefined } })
})
watch(
  () => route.query.sql,
  (sql) => {
    if (here() && String(sql ?? '') !== written.value.trim()) written.value = String(sql ?? '')
  },
)

const stopped = computed(() =>
  [route.query.stop ?? []].flat().filter((one): one is string => typeof one === 'string'),
)
function stop(places: string[]) {
  void router.replace({ query: { ...route.query, stop: places.length ? places : undefined } })
}
const asked = computed(() => Boolean(written.value.trim() || stopped.value.length))

const { data: databases } = useAsked(
  () => (here() ? ['change databases'] : null),
  api.changeDatabases,
)
const {
  data: outcome,
  error,
  loading,
} = useAsked(
  () =>
    here() && (settled.value.trim() || stopped.value.length)
      ? ['change', settled.value, stopped.value, database.value]
      : null,
  (signal) => api.simulate(settled.value, stopped.value, database.value, signal),
)
const FORMS = [
  'alter table … drop column …',
  'alter table … rename column … to …',
  'drop view … cascade',
  'create or replace view … as select …',
]

const by = ref<Grouping>('kind')
const typed = ref('')
const only = ref<string | null>(null)
const rows = computed(() =>
  (outcome.value?.consequences ?? []).filter(
    (one) => (only.value === null || one.kind === only.value) && holds(one, typed.value),
  ),
)
const groups = computed(() => grouped(rows.value, by.value))
const showUntouched = ref(false)
const copied = ref(false)
watch(outcome, () => {
  copied.value = false
  only.value = null
  showUntouched.value = false
})
async function copy() {
  if (!outcome.value) return
  await navigator.clipboard.writeText(asText(outcome.value))
  copied.value = true
}
const ledger = ref<HTMLElement | null>(null)
</script>

<template>
  <main class="change">
    <Teleport defer to="#page-title">
      <h1 class="name">
        Change
        <span class="mute">{{ outcome ? `in ${outcome.database}` : 'what breaks if…' }}</span>
      </h1>
    </Teleport>
    <section class="proposal" aria-label="What would change">
      <h2>
        What would change
        <select
          v-if="(databases?.length ?? 0) > 1"
          :value="database ?? databases?.[0]?.database"
          aria-label="The database that is changed"
          @change="
            router.replace({
              query: { ...route.query, in: ($event.target as HTMLSelectElement).value },
            })
          "
        >
          <option v-for="one in databases" :key="one.system + one.database" :value="one.database">
            {{ one.database }}
          </option>
        </select>
      </h2>
      <textarea
        v-model="written"
        class="mono"
        rows="8"
        spellcheck="false"
        aria-label="The change as SQL"
        placeholder="alter table … drop column …"
      />
      <p class="mute small">
        DDL, or an edited definition (create or replace view …). Nothing is changed by asking.
        Relations of other databases on the same server have theirs in front.
      </p>
      <h2>What would not run</h2>
      <StoppedTexts :stopped="stopped" :database="database" @change="stop" />
      <template v-if="!asked">
        <h2>What can be asked</h2>
        <p v-for="one in FORMS" :key="one" class="mono small">{{ one }}</p>
        <p class="mute small">
          On the lineage, “what breaks if…” of a dataset begins with it, or with its chosen column.
        </p>
      </template>
      <p v-if="databases && !databases.length" class="state warn">
        No texts are known that are run over a database yet: load a folder of SQL, or scan a
        database.
      </p>
      <template v-if="outcome?.not_run.length">
        <h2>Not looked at</h2>
        <p class="small">
          {{ plural(outcome.not_run.length, 'text') }} that are templates:
          <span class="mono">{{ outcome.not_run.slice(0, 5).join(', ') }}</span>
        </p>
      </template>
      <template v-if="outcome?.failing.length">
        <h2>Failing anyhow</h2>
        <p class="small mono">{{ outcome.failing.slice(0, 10).join(', ') }}</p>
      </template>
    </section>
    <section ref="ledger" class="ledger" aria-label="Consequences" :aria-busy="loading">
      <p v-if="error" class="state bad" role="alert">{{ error }}</p>
      <p v-else-if="!asked" class="mute">
        Write a change, and read here what would happen: everything that reads it is read again, as
        the database would run it.
      </p>
      <p v-else-if="!outcome" class="mute">Reading again what it touches…</p>
      <template v-else>
        <h2>
          Consequences
          <span class="by">
            by
            <button
              v-for="one in ['kind', 'thing', 'person'] as const"
              :key="one"
              :class="{ on: by === one }"
              :aria-pressed="by === one"
              @click="by = one"
            >
              {{ one }}
            </button>
          </span>
        </h2>
        <p v-if="outcome.refused" class="refused state bad" role="alert">
          The database would refuse it: {{ outcome.refused }}
        </p>
        <EditedQuery v-for="edit in outcome.edits" :key="edit.subject" :edit="edit" />
        <div v-if="!outcome.refused" class="figures">
          <button
            v-for="(kind, name) in KINDS"
            :key="name"
            :aria-pressed="only === name"
            :class="{ on: only === name }"
            @click="only = only === name ? null : String(name)"
          >
            <b :class="outcome.counts[name] ? `state ${kind.tone}` : 'mute'">{{
              count(outcome.counts[name] ?? 0)
            }}</b>{{ kind.words }}
          </button>
          <button
            :aria-expanded="showUntouched"
            :class="{ on: showUntouched }"
            @click="showUntouched = !showUntouched"
          >
            <b class="mute">{{ count(outcome.untouched.length) }}</b>untouched
          </button>
        </div>
        <input
          v-if="outcome.consequences.length > 8"
          v-model="typed"
          type="search"
          class="within"
          placeholder="filter…"
          aria-label="Filter the consequences"
        />
        <div v-for="group in groups" :key="group.name" class="group">
          <h3>
            <span
              ><b>{{ by === 'kind' ? (KINDS[group.name]?.words ?? group.name) : group.name }}</b
              >{{ group.note ? `: ${group.note}` : '' }}</span
            ><span>{{ count(group.rows.length) }}</span>
          </h3>
          <ConsequenceRow v-for="row in group.rows" :key="row.kind + row.subject" :row="row" />
        </div>
        <p v-if="outcome.consequences.length && !rows.length" class="mute">
          No consequence has these words.
        </p>
        <p v-if="!outcome.refused && !outcome.consequences.length" class="good">
          Nothing breaks, goes stale, holds other values or has other columns.
        </p>
        <p v-if="!outcome.refused" class="mute untouched">
          <b>Untouched</b> though downstream: reach alone would have warned of
          {{ count(outcome.reachable) }}; {{ count(outcome.untouched.length) }} need no word.
          <button
            v-if="outcome.untouched.length"
            class="link"
            @click="showUntouched = !showUntouched"
          >
            {{ showUntouched ? 'hide them' : 'show them' }}
          </button>
        </p>
        <ul v-if="showUntouched">
          <li v-for="one in outcome.untouched" :key="one.subject">
            <SubjectName :subject="one.subject" :dataset="one.dataset">{{
              one.subject
            }}</SubjectName>
            <small class="mute"> {{ one.what === 'job' ? 'runs as before' : one.what }}</small>
          </li>
        </ul>
        <p class="acts">
          <button class="link" @click="copy">
            {{ copied ? 'copied' : 'copy for the review' }}
          </button>
          <PictureLinks
            :of="() => ledger"
            :name="`Change: ${(outcome.change || outcome.stopped.join(', ')).slice(0, 60)}`"
          />
        </p>
      </template>
    </section>
  </main>
</template>

<style scoped>
.change {
  display: grid;
  grid-template-columns: minmax(300px, 0.6fr) minmax(0, 1fr);
  min-height: 0;
}
.name {
  font-size: 16px;
}
.name span {
  font-weight: 400;
}
.proposal,
.ledger {
  overflow: auto;
  padding: 8px 20px 30px;
}
h2 {
  font-size: 11px;
  color: var(--mute);
  border-bottom: 2px solid var(--hair);
  padding: 6px 0 4px;
  margin-bottom: 8px;
  display: flex;
  justify-content: space-between;
}
h3 {
  font-size: 12px;
  font-weight: 400;
  color: var(--mute);
  display: flex;
  justify-content: space-between;
  border-bottom: 1px solid var(--hair);
  padding: 10px 0 3px;
}
h3 b {
  color: var(--ink);
}
p {
  margin: 4px 0;
}
textarea {
  width: 100%;
  resize: vertical;
  border: 1px solid var(--hair);
  border-radius: 3px;
  background: var(--sheet);
  padding: 8px 10px;
  font: 13px/1.6 var(--mono);
}
select {
  border: 0;
  background: transparent;
  font-size: 11px;
  color: var(--sign);
}
.small {
  font-size: 12px;
}
.by {
  display: flex;
  gap: 10px;
  font-weight: 400;
}
.by .on {
  font-weight: 600;
  color: var(--ink);
}
.figures {
  display: grid;
  grid-template-columns: repeat(7, minmax(0, 1fr));
  border-bottom: 1px solid var(--hair);
}
.figures button {
  padding: 2px 0 8px;
  border-bottom: 2px solid transparent;
}
.figures button.on {
  border-bottom-color: var(--sign);
}
.figures b {
  display: block;
  font-size: 20px;
  line-height: 1.3;
}
.refused {
  font-size: 14px;
}
.within {
  margin-top: 8px;
}
.untouched {
  margin-top: 16px;
}
ul {
  columns: 2;
  margin: 6px 0;
  padding-left: 0;
  list-style: none;
}
.acts {
  display: flex;
  gap: 20px;
  margin-top: 14px;
}
@media (width <= 1000px) {
  .change {
    grid-template-columns: minmax(0, 1fr);
    overflow: auto;
  }
}
</style>
