<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api } from '@/api/client'
import { asField, fromField } from '@/features/history/moments'
import { useAsked } from '@/shared/composables/useAsked'
import { exact, plural } from '@/shared/format/humane'
import RunDetail from './RunDetail.vue'
import RunNumbers from './RunNumbers.vue'
import { useRunsFeed } from './useRunsFeed'
import { clock, shortJob, stateOf } from './words'

const route = useRoute()
const router = useRouter()
const dataset = computed(() => Number(route.params.dataset))
const here = () => route.name === 'runs of a dataset'
/** When it looked wrong; now where nobody says. */
const at = computed(() => (route.query.at ? String(route.query.at) : undefined))
const now = ref(new Date())
useRunsFeed(() => {
  if (!at.value && !opened.value) now.value = new Date()
})

const { data: suspects, error } = useAsked(
  () => (here() ? ['suspects', dataset.value, at.value, now.value] : null),
  (signal) => api.suspects(dataset.value, at.value, signal),
)
const { data: order } = useAsked(
  () => (here() ? ['order', dataset.value] : null),
  (signal) => api.order(dataset.value, signal),
)
const DAYS = 90 * 86_400_000
const { data: runs } = useAsked(
  () => (here() ? ['runs of', dataset.value, now.value] : null),
  (signal) =>
    api.runs(
      {
        dataset: dataset.value,
        since: new Date(now.value.getTime() - DAYS).toISOString(),
        until: now.value.toISOString(),
        limit: 30,
      },
      signal,
    ),
)
const opened = ref<string | null>(null)
function turn(run: string | null) {
  opened.value = opened.value === run ? null : run
}
function moment(value: string) {
  const time = fromField(value)
  void router.replace({ query: time ? { at: time } : {} })
}
const field = computed(() => asField(at.value ?? now.value.toISOString()))
async function copyOrder() {
  await navigator.clipboard.writeText(
    (order.value?.steps ?? []).map((one) => one.job.name).join('\n'),
  )
}
</script>

<template>
  <main class="of">
    <Teleport defer to="#page-title">
      <h1 class="name">How {{ suspects?.name ?? 'it' }} came to be</h1>
    </Teleport>
    <p v-if="error" class="state bad" role="alert">{{ error }}</p>
    <div class="two">
      <section>
        <h2>
          What may be wrong
          <label
            >as it stood
            <input
              type="datetime-local"
              :value="field"
              @change="moment(($event.target as HTMLInputElement).value)"
          /></label>
          <button v-if="at" class="link" @click="moment('')">now</button>
        </h2>
        <p v-if="!suspects && !error" class="mute">Looking at what ran…</p>
        <p v-else-if="suspects && !suspects.looked_at" class="mute">
          No run of a job on the way to it has been told of, so nobody can be suspected.
        </p>
        <p v-else-if="suspects && !suspects.items.length" class="good">
          Nothing: {{ plural(suspects.looked_at, 'job') }} on the way ran as usual.
        </p>
        <ol v-else-if="suspects">
          <li v-for="one in suspects.items" :key="one.job.id">
            <button class="who" :aria-expanded="opened === one.run" @click="turn(one.run)">
              <b>{{ one.job.name }}</b>
              <span class="mute">{{
                one.hops ? `${plural(one.hops, 'hop')} upstream` : 'writes it'
              }}</span>
              <span class="likely" :title="`${Math.round(one.score * 100)} of 100`"
                ><i :style="{ width: `${one.score * 100}%` }"
              /></span>
            </button>
            <p v-for="reason in one.reasons" :key="reason.kind">{{ reason.words }}</p>
            <RunDetail v-if="opened && opened === one.run" :run="opened" @open="turn" />
          </li>
        </ol>
        <p v-if="suspects?.items.length" class="mute small">
          The likeliest first, of {{ plural(suspects.looked_at, 'job') }} on the way; what one
          explains is not held against others.
        </p>
      </section>
      <section>
        <h2>
          What must run for this
          <button v-if="order?.steps.length" class="link" @click="copyOrder">copy</button>
        </h2>
        <p v-if="!order" class="mute">Reading…</p>
        <p v-else-if="!order.steps.length" class="mute">
          No job is known that writes anything it is made of.
        </p>
        <ol v-else class="steps">
          <li v-for="(step, n) in order.steps" :key="step.job.id">
            <span class="mono">{{ step.job.name }}</span>
            <span v-if="step.last_state" class="state" :class="stateOf(step.last_state).tone">
              {{ stateOf(step.last_state).mark }}
              <span :title="exact(step.last_at)">{{ clock(step.last_at ?? '', now) }}</span>
            </span>
            <span v-else class="mute">never seen to run</span>
            <small v-if="step.after.length" class="mute"
              >after {{ step.after.map((i) => i + 1).join(', ') }}</small
            >
            <small v-if="order.circles.some((one) => one.includes(n))" class="state warn"
              >in a circle</small
            >
          </li>
        </ol>
        <p v-if="order?.origins.length" class="mute small">
          Begins at {{ order.origins.slice(0, 6).join(', ')
          }}{{ order.origins.length > 6 ? ` and ${order.origins.length - 6} more` : '' }}, which no
          known job writes.
        </p>
      </section>
    </div>
    <section>
      <h2>
        Runs that read or wrote it
        <RouterLink class="small" :to="{ name: 'lineage', params: { dataset: String(dataset) } }"
          >its lineage</RouterLink
        >
      </h2>
      <p v-if="runs && !runs.items.length" class="mute">None in the last 90 days.</p>
      <div v-for="row in runs?.items ?? []" :key="row.run">
        <button class="row" :aria-expanded="opened === row.run" @click="turn(row.run)">
          <span :title="exact(row.started_at)">{{ clock(row.started_at, now) }}</span>
          <span>{{ shortJob(row.job.name, row.parent_job?.name) }}</span>
          <span class="state" :class="stateOf(row.state).tone"
            >{{ stateOf(row.state).mark }} {{ stateOf(row.state).word }}</span
          >
          <RunNumbers :row="row" :now="now" />
          <span class="mute">{{ row.parent_job?.name ?? '' }}</span>
        </button>
        <RunDetail v-if="opened === row.run" :run="row.run" @open="turn" />
      </div>
    </section>
  </main>
</template>

<style scoped>
.of {
  overflow: auto;
  padding: 6px 20px 30px;
}
.name {
  font-size: 16px;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 1.25fr) minmax(0, 1fr);
  gap: 36px;
}
h2 {
  font-size: 11px;
  color: var(--mute);
  border-bottom: 2px solid var(--hair);
  padding: 10px 0 4px;
  margin: 0 0 6px;
  display: flex;
  gap: 14px;
  align-items: baseline;
}
h2 label {
  margin-left: auto;
  font-weight: 400;
}
h2 input {
  border: 0;
  border-bottom: 1px solid var(--hair-strong);
  background: transparent;
  font-size: 12px;
}
ol {
  margin: 0;
  padding: 0 0 0 22px;
}
li {
  padding: 3px 0;
}
li p {
  margin: 0 0 2px;
}
.who {
  display: flex;
  gap: 12px;
  align-items: baseline;
  width: 100%;
}
.likely {
  margin-left: auto;
  width: 80px;
  height: 6px;
  background: var(--hair);
  align-self: center;
}
.likely i {
  display: block;
  height: 100%;
  background: var(--brick);
}
.steps li > * + * {
  margin-left: 10px;
}
.mono {
  font-family: var(--mono);
  font-size: 12px;
}
.row {
  display: grid;
  grid-template-columns: 92px minmax(140px, 1fr) 80px 150px 150px minmax(80px, 0.6fr);
  gap: 12px;
  align-items: baseline;
  width: 100%;
  padding: 4px 0;
  border-bottom: 1px solid var(--hair);
}
.row:hover {
  background: var(--sign-wash);
}
.small {
  font-size: 11px;
}
</style>
