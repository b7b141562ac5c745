<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, type Schemas } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import { exact, plural } from '@/shared/format/humane'
import EventList from './EventList.vue'
import JsonTree from './JsonTree.vue'
import RunTree from './RunTree.vue'
import RunSides from './RunSides.vue'
import { changesOfData, clock, shortJob, stateOf, took } from './words'

const props = defineProps<{ run: string }>()
const emit = defineEmits<{ open: [run: string] }>()
const { data, error } = useAsked(
  () => ['run', props.run],
  (signal) => api.run(props.run, signal),
)
const showTexts = ref(false)
const showTree = ref(false)
const showTrace = ref(false)
const showCode = ref(false)
const events = ref<Schemas['EventsPage']['items'] | null>(null)
const eventsNext = ref<string | null>(null)
const refused = ref('')

async function loadEvents() {
  if (events.value && !eventsNext.value) {
    events.value = null
    return
  }
  try {
    const page = await api.runEvents(props.run, eventsNext.value ?? undefined)
    events.value = [...(events.value ?? []), ...page.items]
    eventsNext.value = page.next
    refused.value = ''
  } catch (reason) {
    refused.value = reason instanceof Error ? reason.message : 'The events could not be read.'
  }
}
const told = computed(() => {
  const facts = data.value
  return Object.entries({
    'what it is': facts?.description,
    owner: facts?.owner,
    tags: facts?.tags.join(', '),
    kind: [facts?.job_type, facts?.engine].filter(Boolean).join(', '),
    'meant for': facts?.nominal_at ? clock(facts.nominal_at) : '',
    query: facts?.query,
  }).filter(([, value]) => value)
})
const row = computed(() => data.value?.row ?? null)
const sides = computed(() => (data.value?.sides ?? []) as Schemas['SideFact'][])
const target = computed(
  () => sides.value.find((one) => one.side === 'out' && one.dataset !== null)?.dataset ?? null,
)
const changed = computed(() => (data.value?.changes ? changesOfData(data.value.changes) : []))
</script>

<template>
  <div class="detail">
    <p v-if="error" class="state bad" role="alert">{{ error }}</p>
    <p v-else-if="!data || !row" class="mute">Reading the run…</p>
    <template v-else>
      <section class="said">
        <template v-if="row.message">
          <h3>What it said</h3>
          <pre class="message">{{ row.message }}</pre>
          <button v-if="data.trace" class="link" @click="showTrace = !showTrace">
            {{ showTrace ? 'hide the trace' : 'the whole trace' }}
          </button>
          <pre v-if="showTrace" class="message trace">{{ data.trace }}</pre>
        </template>
        <template v-if="data.changes">
          <h3>Changed since the last good run</h3>
          <p v-if="data.changes.code">
            the code, since
            <span :title="exact(data.changes.at)">{{ clock(data.changes.at) }}</span>
            <button class="link" @click="showTexts = !showTexts">
              {{ showTexts ? 'hide the texts' : 'see both texts' }}
            </button>
          </p>
          <p v-for="line in changed" :key="line">{{ line }}</p>
        </template>
        <p v-else-if="row.state === 'failed'" class="mute">
          Code, inputs and outputs are those of the last good run.
        </p>
        <h3>Where it stood</h3>
        <p>
          <template v-for="caller in data.callers" :key="caller.run">
            <button class="link" @click="emit('open', caller.run)">{{ caller.job.name }}</button>
            <span class="mute after">{{ stateOf(caller.state).word }} ▸</span>
          </template>
          <b>{{ shortJob(row.job.name, row.parent_job?.name) }}</b>
          <span v-if="!data.callers.length" class="mute">, called by nobody that told of it</span>
        </p>
        <p v-if="data.children_total">
          <button class="link" @click="showTree = !showTree">
            {{ showTree ? 'hide' : 'show' }} the {{ plural(data.children_total, 'run') }} that it
            called
          </button>
        </p>
        <RunTree v-if="showTree" :run="run" :caller="row.job.name" @open="emit('open', $event)" />
      </section>

      <section>
        <h3>Read and wrote</h3>
        <RunSides v-if="sides.length" :sides="sides" @open="emit('open', $event)" />
        <p v-else class="mute">
          {{
            data.children_total
              ? 'What it called has read and written; it did nothing itself.'
              : 'Its events name no dataset.'
          }}
        </p>
        <p class="ways">
          <RouterLink v-if="sides.length" :to="{ name: 'road of a run', params: { run } }"
            >its road</RouterLink
          >
          <RouterLink
            v-if="target !== null"
            :to="{ name: 'lineage', params: { dataset: String(target) } }"
            >on the lineage</RouterLink
          >
          <RouterLink
            v-if="target !== null"
            :to="{
              name: 'lineage',
              params: { dataset: String(target) },
              query: { at: row.started_at, moment: row.started_at },
            }"
            >as it was then</RouterLink
          >
          <RouterLink :to="{ name: 'job', params: { job: String(row.job.id) } }"
            >the job</RouterLink
          >
          <RouterLink :to="{ name: 'runs', query: { q: `job:${row.job.name}`, span: '90 days' } }"
            >all its runs</RouterLink
          >
          <a v-if="data.address" :href="data.address" target="_blank" rel="noreferrer noopener"
            >where it ran</a
          >
        </p>
      </section>

      <section>
        <template v-if="data.stale_total">
          <h3>
            Stale because of it<template v-if="data.stale_since"
              >, as of
              <span :title="exact(data.stale_since)">{{ clock(data.stale_since) }}</span></template
            >
          </h3>
          <p class="stale">
            <template v-for="(one, n) in data.stale.slice(0, 8)" :key="one.dataset">
              <template v-if="n">, </template>
              <RouterLink
                :to="{ name: 'lineage', params: { dataset: String(one.dataset) } }"
                :title="`${one.kind}, ${plural(one.hops, 'hop')} away${one.owner ? `, ${one.owner}` : ''}`"
                >{{ one.title }}</RouterLink
              >
            </template>
            <template v-if="data.stale_total > 8"> and {{ data.stale_total - 8 }} more</template>
          </p>
          <p class="mute">
            {{ plural(data.stale.filter((one) => one.kind === 'report').length, 'report') }} among
            the nearest {{ data.stale.length }}
          </p>
        </template>
        <h3>Facts</h3>
        <dl>
          <template v-if="row.ended_at">
            <dt>took</dt>
            <dd>
              {{ row.took === null ? '' : took(row.took) }}, until
              <span :title="exact(row.ended_at)">{{ clock(row.ended_at) }}</span>
            </dd>
          </template>
          <template v-for="(value, name) in data.parameters" :key="name">
            <dt>{{ name }}</dt>
            <dd class="mono">{{ value }}</dd>
          </template>
          <template v-for="[name, value] in told" :key="name">
            <dt>{{ name }}</dt>
            <dd>{{ value }}</dd>
          </template>
          <template v-if="data.place || data.code">
            <dt>code</dt>
            <dd class="mono">
              {{ data.place }} {{ data.revision.slice(0, 10) }}
              <button v-if="data.code" class="link" @click="showCode = !showCode">
                {{ showCode ? 'hide it' : 'see it' }}
              </button>
            </dd>
          </template>
          <dt>run</dt>
          <dd class="mono id">{{ run }}</dd>
        </dl>
        <p>
          <button class="link" @click="loadEvents">
            {{
              events
                ? eventsNext
                  ? 'more events'
                  : 'hide the events'
                : `${plural(row.events, 'event')} as received`
            }}
          </button>
        </p>
        <p v-if="refused" class="state bad" role="alert">{{ refused }}</p>
      </section>

      <section v-if="showTexts && data.changes" class="wide texts">
        <div>
          <h3>Then</h3>
          <pre class="mono">{{ data.changes.before }}</pre>
        </div>
        <div>
          <h3>In this run</h3>
          <pre class="mono">{{ data.changes.after }}</pre>
        </div>
      </section>
      <section v-if="showCode && data.code" class="wide">
        <h3>Its code, as this run told it</h3>
        <pre class="mono">{{ data.code }}</pre>
      </section>
      <section v-for="(plan, name) in data.plans" :key="name" class="wide">
        <JsonTree :name="String(name)" :value="plan" />
      </section>
      <section v-if="events" class="wide">
        <EventList :events="events" />
      </section>
    </template>
  </div>
</template>

<style scoped>
.detail {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1.15fr) minmax(0, 0.9fr);
  gap: 6px 28px;
  padding: 6px 12px 16px 84px;
  background: var(--sheet);
}
h3 {
  font-size: 11px;
  color: var(--mute);
  margin: 8px 0 2px;
}
p {
  margin: 0 0 2px;
}
.wide {
  grid-column: 1 / -1;
}
.message {
  font: 12px/1.5 var(--mono);
  color: var(--brick);
  margin: 0;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
.trace {
  max-height: 220px;
  overflow: auto;
}
.after {
  margin: 0 4px;
}
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
  white-space: nowrap;
  margin-top: 6px;
}
dl {
  display: grid;
  grid-template-columns: fit-content(45%) minmax(0, 1fr);
  gap: 1px 12px;
  margin: 0;
}
dt {
  overflow-wrap: anywhere;
  color: var(--mute);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
.mono {
  font-family: var(--mono);
  font-size: 12px;
}
.id {
  user-select: all;
}
.texts {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 20px;
}
.wide pre {
  max-height: 320px;
  overflow: auto;
  background: var(--paper);
  padding: 8px 10px;
  margin: 4px 0;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
@media (width <= 1100px) {
  .detail {
    grid-template-columns: minmax(0, 1fr);
    padding-left: 20px;
  }
}
</style>
