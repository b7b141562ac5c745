<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { api, type Schemas } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import { plural } from '@/shared/format/humane'

/** How a change is carried out: asked for when it is opened, as each step is simulated. */
const props = defineProps<{ sql: string; database: string | undefined }>()
const emit = defineEmits<{ open: [place: string] }>()
const wanted = ref(false)
const { data, error, loading } = useAsked(
  () => (wanted.value && props.sql.trim() ? ['plan', props.sql, props.database] : null),
  (signal) => api.planChange(props.sql, props.database, signal),
)
const chosen = ref(0)
watch(data, () => (chosen.value = 0))
const route = computed(() => data.value?.[chosen.value])
/** The texts that are changed for a step: at any time before it, and in the same moment. */
function changed(step: Schemas['PlanStepFact']) {
  return [
    { when: 'before', looks: 'mute', places: step.before },
    { when: 'with it', looks: 'state warn', places: step.together },
  ].filter((one) => one.places.length)
}
const copied = ref<string | null>(null)
async function copy(text: string) {
  await navigator.clipboard.writeText(text)
  copied.value = text
}
/** All SQL of a route as one script, what is to be done by hand as comments. */
function script(): string {
  return (route.value?.steps ?? [])
    .flatMap((step, n) => [
      `-- ${n + 1}. ${step.title}${step.database ? ` (in ${step.database})` : ''}`,
      ...[...step.before, ...step.together].map((place) => `--    change ${place}`),
      ...(step.note ? [`--    ${step.note}`] : []),
      ...(step.sql ? [`${step.sql};`] : []),
      ...(step.undo ? step.undo.split('\n').map((line) => `-- undo: ${line}`) : []),
      '',
    ])
    .join('\n')
}
</script>

<template>
  <details
    class="plan"
    :aria-busy="loading"
    @toggle="wanted = ($event.target as HTMLDetailsElement).open"
  >
    <summary><b>How to carry it out</b>, and take it back</summary>
    <template v-if="wanted">
      <p v-if="error" class="state bad" role="alert">{{ error }}</p>
      <p v-else-if="!data" class="mute">Trying each step…</p>
      <p v-else-if="!route" class="mute">
        No way is known in which the database would do it. What it says stands above.
      </p>
      <template v-else>
        <p class="mute small why">
          <span v-if="(data?.length ?? 0) > 1" class="routes">
            <button
              v-for="(one, n) in data"
              :key="one.name"
              :class="{ on: n === chosen }"
              :aria-pressed="n === chosen"
              @click="chosen = n"
            >
              {{ one.name }}
            </button>
          </span>
          {{ route.why }}
        </p>
        <ol>
          <li v-for="(step, n) in route.steps" :key="n" :class="{ joined: step.with_last }">
            <b>{{ step.title }}</b>
            <small v-if="step.with_last" class="mute"> in the same moment</small>
            <small v-if="step.database" class="mute"> in {{ step.database }}</small>
            <p v-for="one in changed(step)" :key="one.when" class="small">
              <span :class="one.looks">
                {{ one.when }}, change {{ plural(one.places.length, 'text') }}:
              </span>
              <button
                v-for="place in one.places"
                :key="place"
                class="link mono"
                @click="emit('open', place)"
              >
                {{ place }}
              </button>
            </p>
            <pre v-if="step.sql" class="mono" tabindex="0" :aria-label="`SQL of step ${n + 1}`">{{
              step.sql
            }}</pre>
            <p v-if="step.note" class="mute small">{{ step.note }}</p>
            <button v-if="step.sql" class="link small" @click="copy(step.sql)">
              {{ copied === step.sql ? 'copied' : 'copy' }}
            </button>
            <details v-if="step.undo">
              <summary class="small">what takes it back</summary>
              <pre class="mono" tabindex="0" :aria-label="`What takes step ${n + 1} back`">{{
                step.undo
              }}</pre>
            </details>
          </li>
        </ol>
        <button class="link small" @click="copy(script())">
          {{ copied === script() ? 'copied' : 'copy all of it as a script' }}
        </button>
      </template>
    </template>
  </details>
</template>

<style scoped>
.plan {
  border-bottom: 1px solid var(--hair);
  padding: 5px 0;
}
summary {
  cursor: pointer;
}
.routes {
  display: inline-flex;
  gap: 12px;
  margin-right: 14px;
}
.routes button {
  border-bottom: 2px solid transparent;
}
.routes .on {
  font-weight: 600;
  color: var(--ink);
  border-bottom-color: var(--sign);
}
p {
  margin: 3px 0;
}
.small {
  font-size: 12px;
}
ol {
  margin: 6px 0 8px;
  padding: 0 0 0 24px;
}
li {
  padding: 3px 0 6px 2px;
}
li.joined {
  border-left: 2px solid var(--amber);
  padding-left: 8px;
}
li .link.mono {
  margin-left: 8px;
  overflow-wrap: anywhere;
  text-align: left;
}
pre {
  margin: 4px 0;
  padding: 5px 8px;
  border: 1px solid var(--hair);
  border-radius: 3px;
  background: var(--sheet);
  font-size: 12px;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-height: 220px;
  overflow: auto;
}
summary.small {
  color: var(--mute);
}
</style>
