<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, type Preview, type SourceFact } from '@/api/client'
import SourceGlyph from '@/shared/components/SourceGlyph.vue'
import { count } from '@/shared/format/humane'
import ConfigForm from './ConfigForm.vue'
import { fieldsOf, type JsonSchema } from './schemaForm'
import { useAttempt } from '@/shared/composables/useAttempt'
import { useAsked } from '@/shared/composables/useAsked'

const route = useRoute()
const router = useRouter()
const changing = ref<SourceFact | null>(null)
const kind = ref<string | null>(null)
const config = ref<Record<string, unknown>>({})
const unclear = ref<string | null>(null)
const name = ref('')
const schedule = ref('')
const preview = ref<Preview | null>(null)
const tried = ref<string | null>(null)
const { problem, busy, attempt } = useAttempt()
/** What is being done while it is busy. */
const doing = ref<'try' | 'save'>('try')

const opened = Date.now()
/** The kinds of sources, and the one that is to be changed as it is when this is opened. */
const { data: asked, error } = useAsked(
  () => ['source to change', Number(route.query.change) || null, opened],
  async (signal) => {
    const id = Number(route.query.change)
    const [all, source] = await Promise.all([
      api.sourceKinds(signal),
      id ? api.source(id, signal) : null,
    ])
    return { kinds: all, source }
  },
)
const kinds = computed(() => asked.value?.kinds ?? null)
watch(asked, (found) => {
  if (!found?.source || changing.value) return
  changing.value = found.source
  kind.value = found.source.kind
  config.value = given(found.source.config)
  delete config.value.kind
  name.value = found.source.name
  schedule.value = found.source.schedule ?? ''
})

const shown = computed(() => kinds.value?.find((one) => one.kind === kind.value) ?? null)
const fields = computed(() => (shown.value ? fieldsOf(shown.value.config as JsonSchema) : []))
const whole = computed(() => ({ kind: kind.value, ...config.value }))
const stale = computed(() => tried.value !== JSON.stringify(whole.value))
const missing = computed(() =>
  fields.value
    .filter((field) => field.required && field.kind !== 'group' && field.initial === undefined)
    .filter((field) => config.value[field.name] == null)
    .map((field) => field.label),
)

/** What is empty is left out: the defaults hold, and secrets stay what they are. */
function given(value: Record<string, unknown>): Record<string, unknown> {
  return Object.fromEntries(
    Object.entries(value)
      .filter(([, one]) => one !== null)
      .map(([key, one]) => [
        key,
        typeof one === 'object' && !Array.isArray(one)
          ? given(one as Record<string, unknown>)
          : one,
      ]),
  )
}

function choose(one: string) {
  kind.value = one
  config.value = {}
  preview.value = tried.value = problem.value = null
}

watch(kind, () => (problem.value = null))

async function tryIt() {
  doing.value = 'try'
  const asked = JSON.stringify(whole.value)
  const done = await attempt(async () => {
    preview.value = await api.trySource(whole.value, changing.value?.id ?? null)
    tried.value = asked
  })
  if (!done) preview.value = null
}

async function save() {
  doing.value = 'save'
  const body = { name: name.value, config: whole.value, schedule: schedule.value.trim() || null }
  await attempt(async () => {
    let id = changing.value?.id
    if (id) await api.changeSource(id, body)
    else {
      id = (await api.addSource(body)).id
      await api.startIngestion(id)
    }
    await router.push({ name: 'sources', params: { source: String(id) } })
  })
}
</script>

<template>
  <main class="adding">
    <Teleport defer to="#page-title">
      <h1 class="name">{{ changing ? `Change ${changing.name}` : 'Add a source' }}</h1>
    </Teleport>
    <p v-if="error" class="state bad" role="alert">{{ error }}</p>
    <section class="what" aria-label="What is it">
      <h2><span>1</span> What is it?</h2>
      <button
        v-for="one in kinds ?? []"
        :key="one.kind"
        class="kind"
        :class="{ on: one.kind === kind }"
        :aria-pressed="one.kind === kind"
        :disabled="changing !== null && one.kind !== kind"
        @click="choose(one.kind)"
      >
        <SourceGlyph :kind="one.kind" />
        <span
          ><b>{{ one.title }}</b
          ><small>{{ one.about }}</small></span
        >
      </button>
    </section>
    <section aria-label="Where is it">
      <h2><span>2</span> Where is it?</h2>
      <p v-if="!shown" class="mute">Choose what it is first.</p>
      <template v-else>
        <ConfigForm
          v-model="config"
          :fields="fields"
          :kept="changing?.secrets ?? {}"
          @problem="unclear = $event"
        />
        <p v-if="unclear" class="state bad" role="alert">{{ unclear }}</p>
      </template>
    </section>
    <section aria-label="What will it bring">
      <h2><span>3</span> What will it bring?</h2>
      <p class="mute">Jalan connects and looks. Nothing is written, there or here.</p>
      <button
        class="act"
        :disabled="!shown || busy || unclear !== null || missing.length > 0"
        @click="tryIt"
      >
        {{ busy && doing === 'try' ? 'Looking…' : 'Try it' }}
      </button>
      <span v-if="shown && missing.length" class="mute"
        >still needed: {{ missing.join(', ') }}</span
      >
      <p v-if="problem" class="state bad" role="alert">{{ problem }}</p>
      <div v-if="preview" :class="{ stale }" class="preview">
        <p v-if="stale" class="state warn">This was before your last change. Try it again.</p>
        <p v-for="fact in preview.facts" :key="fact">{{ fact }}</p>
        <dl>
          <template v-for="part in preview.parts" :key="part.what">
            <dt>{{ count(part.count) }}</dt>
            <dd>
              {{ part.what }}
              <small v-if="part.examples?.length" class="mono">{{
                part.examples.join(', ')
              }}</small>
            </dd>
          </template>
        </dl>
        <p v-for="warning in preview.warnings" :key="warning" class="state warn">{{ warning }}</p>
        <figure v-for="table in preview.tables" :key="table.title">
          <figcaption>{{ table.title }}</figcaption>
          <div class="scroll" tabindex="0" :aria-label="table.title">
            <table>
              <thead>
                <tr>
                  <th v-for="column in table.columns" :key="column">{{ column }}</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="(row, i) in table.rows" :key="i">
                  <td v-for="(value, j) in row" :key="j">{{ value }}</td>
                </tr>
              </tbody>
            </table>
          </div>
        </figure>
      </div>
      <h2 class="last"><span>4</span> Name and time</h2>
      <div class="row">
        <label for="name">name</label>
        <input id="name" v-model="name" :disabled="changing !== null" maxlength="100" />
      </div>
      <div class="row">
        <label for="schedule">schedule</label>
        <div>
          <input id="schedule" v-model="schedule" placeholder="none: it is ingested when asked" />
          <small>
            Minute, hour, day, month, weekday in UTC:
            <button class="link" @click="schedule = '15 3 * * *'">every night</button>,
            <button class="link" @click="schedule = '0 * * * *'">every hour</button>
          </small>
        </div>
      </div>
      <button
        class="act main"
        :disabled="!shown || !name.trim() || busy || unclear !== null"
        @click="save"
      >
        {{ changing ? 'Save' : 'Add and ingest' }}
      </button>
      <RouterLink class="link" :to="{ name: 'sources' }">Leave it</RouterLink>
    </section>
  </main>
</template>

<style scoped>
.adding {
  display: grid;
  grid-template-columns: minmax(230px, 0.8fr) minmax(0, 1.3fr) minmax(0, 1.3fr);
  align-items: stretch;
  min-height: 0;
  overflow: hidden;
}
.name {
  font-size: 16px;
}
section {
  overflow: auto;
  padding: 16px 22px 32px;
  border-right: 1px solid var(--hair);
}
h2 {
  font-size: 14px;
  margin-bottom: 12px;
}
h2 span {
  color: var(--sign);
  margin-right: 6px;
}
h2.last {
  margin-top: 26px;
}
.kind {
  display: flex;
  gap: 9px;
  width: 100%;
  padding: 7px 8px;
  border-left: 3px solid transparent;
  border-bottom: 1px solid var(--hair);
}
.kind:hover:enabled {
  background: var(--sign-wash);
}
.kind:disabled {
  opacity: 0.45;
  cursor: default;
}
.kind.on {
  border-left-color: var(--sign);
  background: var(--sheet);
}
.kind .glyph {
  margin-top: 2px;
}
.kind b,
.kind small {
  display: block;
}
small {
  font-size: 11px;
  color: var(--mute);
}
p {
  margin: 0 0 6px;
}
.act {
  border: 1px solid var(--hair-strong);
  border-radius: 3px;
  padding: 5px 14px;
  background: var(--sheet);
  margin: 0 10px 8px 0;
}
.act:enabled:hover {
  border-color: var(--sign);
}
.act:disabled {
  color: var(--mute);
  cursor: default;
}
.act.main:enabled {
  background: var(--sign);
  border-color: var(--sign);
  color: var(--sign-ink);
}
.preview.stale {
  opacity: 0.65;
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 4px 10px;
  margin: 6px 0;
}
dt {
  text-align: right;
  font-weight: 600;
}
dd {
  margin: 0;
  min-width: 0;
}
dd small {
  display: block;
  overflow-wrap: anywhere;
}
figure {
  margin: 12px 0 0;
}
figcaption {
  font-size: 11px;
  color: var(--mute);
}
.scroll {
  overflow: auto;
}
table {
  border-collapse: collapse;
  font-size: 11px;
}
th,
td {
  text-align: left;
  padding: 2px 10px 2px 0;
  border-bottom: 1px solid var(--hair);
  white-space: nowrap;
  max-width: 180px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.row {
  display: grid;
  grid-template-columns: 80px minmax(0, 1fr);
  align-items: baseline;
  margin-bottom: 8px;
}
.row label {
  color: var(--mute);
}
.row input {
  width: 100%;
  border: 1px solid var(--hair-strong);
  border-radius: 3px;
  background: var(--sheet);
  padding: 4px 8px;
}
@media (width <= 1100px) {
  .adding {
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
    overflow: auto;
  }
  .what {
    grid-column: 1 / -1;
    display: grid;
    grid-template-columns: repeat(3, minmax(0, 1fr));
  }
  .what h2 {
    grid-column: 1 / -1;
  }
  section {
    overflow: visible;
  }
}
</style>
