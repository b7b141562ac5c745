<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, type Schemas } from '@/api/client'
import MomentList from '@/features/history/MomentList.vue'
import { justBefore } from '@/features/history/moments'
import { useAsked } from '@/shared/composables/useAsked'
import { usePages } from '@/shared/composables/usePages'
import { ago, count, exact, plural } from '@/shared/format/humane'
import { changesOfData, clock, stateOf } from './words'

const route = useRoute()
const router = useRouter()
const job = computed(() => Number(route.params.job))
const here = () => route.name === 'job'
const { data: facts, error } = useAsked(
  () => (here() ? ['job', job.value] : null),
  (signal) => api.job(job.value, signal),
)
const { data: whole } = useAsked(
  () => (here() ? ['job lineage', job.value] : null),
  (signal) => api.jobLineage(job.value, signal),
)
const { data: page } = useAsked(
  () => (here() ? ['job history', job.value] : null),
  (signal) => api.jobHistory(job.value, undefined, signal),
)
const { items, more, next, refused } = usePages(page, (cursor) => api.jobHistory(job.value, cursor))

/** A moment is looked at from what the job writes. */
const target = computed(
  () => facts.value?.datasets[0] ?? whole.value?.writes.find((one) => one.dataset)?.dataset ?? null,
)
function lineage(query: Record<string, string | string[]>) {
  if (target.value === null) return
  void router.push({ name: 'lineage', params: { dataset: String(target.value) }, query })
}
const opened = ref<number | null>(null)
const below = computed(() => (whole.value?.jobs ?? []).filter((one) => one.depth > 0))
const told = computed(() => {
  const { description, owner, job_type: kind, schedule, tags } = facts.value ?? {}
  return Object.entries({
    'what it is': description,
    owner,
    kind: kind?.toLowerCase(),
    schedule,
    tags: tags?.join(', '),
  }).filter(([, value]) => value)
})
function changed(version: Schemas['JobVersionFact']): string {
  const parts = [...(version.code_changed ? ['other code'] : []), ...changesOfData(version)]
  return parts.join('; ') || 'as it was first told'
}
</script>

<template>
  <main class="job">
    <Teleport defer to="#page-title">
      <h1 class="name">
        {{ facts?.job.name ?? 'Job' }} <span class="mute">{{ facts?.job.namespace }}</span>
      </h1>
    </Teleport>
    <p v-if="error" class="state bad" role="alert">{{ error }}</p>
    <p v-else-if="!facts" class="mute">Reading the job…</p>
    <template v-else>
      <dl v-if="told.length">
        <template v-for="[name, value] in told" :key="name">
          <dt>{{ name }}</dt>
          <dd>{{ value }}</dd>
        </template>
      </dl>
      <div class="calls">
        <section>
          <h2>Called by</h2>
          <p v-if="!facts.called_by.length" class="mute">nobody that told of it</p>
          <p v-for="one in facts.called_by" :key="one.job.id">
            <RouterLink :to="{ name: 'job', params: { job: String(one.job.id) } }">{{
              one.job.name
            }}</RouterLink>
            <span class="mute" :title="exact(one.last_at)">
              {{ plural(one.runs, 'time') }}, last {{ ago(one.last_at) }}</span
            >
          </p>
        </section>
        <section>
          <h2>
            Calls <span>{{ below.length ? count((whole?.jobs_total ?? 1) - 1) : '' }}</span>
          </h2>
          <p v-if="!below.length" class="mute">no other job</p>
          <div class="below">
            <p
              v-for="one in below"
              :key="one.job.id"
              :style="{ paddingLeft: `${(one.depth - 1) * 14}px` }"
            >
              <RouterLink :to="{ name: 'job', params: { job: String(one.job.id) } }">{{
                one.job.name
              }}</RouterLink>
              <span v-if="one.last_state" class="state" :class="stateOf(one.last_state).tone"
                >{{ stateOf(one.last_state).mark }} {{ clock(one.last_at ?? '') }}</span
              >
            </p>
          </div>
        </section>
      </div>
      <section v-if="whole">
        <h2>
          {{ below.length ? 'What all of it reads and writes' : 'What it reads and writes' }}
          <span v-if="whole.cut" class="state warn">only the first jobs below it are counted</span>
        </h2>
        <div class="flow">
          <div>
            <h3>reads {{ count(whole.reads_total) }} from outside</h3>
            <p v-for="one in whole.reads" :key="one.namespace + one.name" class="mono">
              <RouterLink
                v-if="one.dataset"
                :to="{ name: 'lineage', params: { dataset: String(one.dataset) } }"
                >{{ one.name }}</RouterLink><template v-else>{{ one.name }}</template>
            </p>
            <p v-if="!whole.reads.length" class="mute">nothing</p>
          </div>
          <div>
            <h3>writes {{ count(whole.writes_total) }}</h3>
            <p v-for="one in whole.writes" :key="one.namespace + one.name" class="mono">
              <RouterLink
                v-if="one.dataset"
                :to="{ name: 'lineage', params: { dataset: String(one.dataset) } }"
                >{{ one.name }}</RouterLink><template v-else>{{ one.name }}</template>
              <span v-if="one.within" class="mute" title="read again by a job among these">
                read again within</span
              >
            </p>
            <p v-if="!whole.writes.length" class="mute">nothing</p>
          </div>
        </div>
      </section>
      <section v-if="facts.versions.length">
        <h2>
          Versions <span>{{ count(facts.versions_total) }}</span>
        </h2>
        <div v-for="one in facts.versions" :key="one.number" class="version">
          <b>v{{ one.number }}</b>
          <span :title="exact(one.first_at)">since {{ clock(one.first_at) }}</span>
          <span class="mute">{{ plural(one.runs, 'run') }}</span>
          <span>{{ changed(one) }}</span>
          <button
            v-if="one.text"
            class="link"
            @click="opened = opened === one.number ? null : one.number"
          >
            {{ opened === one.number ? 'hide the code' : 'its code' }}
          </button>
          <pre v-if="opened === one.number" class="mono">{{ one.text }}</pre>
        </div>
      </section>
      <section>
        <h2>
          What has happened
          <RouterLink
            class="small"
            :to="{ name: 'runs', query: { q: `job:${facts.job.name}`, span: '90 days' } }"
            >its runs in the ledger</RouterLink
          >
        </h2>
        <p v-if="refused" class="state bad" role="alert">{{ refused }}</p>
        <MomentList
          :moments="items"
          @open="(at) => lineage({ at, moment: at })"
          @compare="(at) => lineage({ at, moment: at, against: justBefore(at) })"
        />
        <p v-if="next"><button class="link" @click="more">show more</button></p>
      </section>
    </template>
  </main>
</template>

<style scoped>
.job {
  overflow: auto;
  padding: 6px 20px 30px;
}
.name {
  font-size: 16px;
}
.name span {
  font-weight: 400;
}
h2 {
  font-size: 11px;
  color: var(--mute);
  border-bottom: 2px solid var(--hair);
  padding: 12px 0 4px;
  margin-bottom: 4px;
  display: flex;
  gap: 14px;
}
h3 {
  font-size: 12px;
  font-weight: 400;
  color: var(--mute);
}
p {
  margin: 0;
  padding: 2px 0;
}
dl {
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr);
  gap: 2px 16px;
  margin: 8px 0 0;
}
dt {
  color: var(--mute);
}
dd {
  margin: 0;
}
.calls {
  display: grid;
  grid-template-columns: minmax(0, 0.5fr) minmax(0, 1.5fr);
  gap: 36px;
}
.flow {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 36px;
}
.below {
  max-height: 260px;
  overflow: auto;
}
.state,
.mute {
  margin-left: 8px;
}
p > .mute:first-child,
p.mute {
  margin-left: 0;
}
.mono {
  font-size: 12px;
  overflow-wrap: anywhere;
}
.version {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  padding: 4px 0;
  border-bottom: 1px solid var(--hair);
}
.version pre {
  flex-basis: 100%;
  max-height: 320px;
  overflow: auto;
  background: var(--sheet);
  padding: 8px 10px;
  margin: 4px 0;
  white-space: pre-wrap;
}
.small {
  margin-left: auto;
}
</style>
