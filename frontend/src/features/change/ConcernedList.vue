<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { count, plural } from '@/shared/format/humane'
import { KINDS } from './consequences'

/** Whom a change concerns: reports by how often they are looked at, and people by what they asked for lately. */
const props = defineProps<{
  reports: Schemas['ConcernedReport'][]
  people: Schemas['ConcernedPerson'][]
}>()
const unseen = computed(() => props.reports.filter((one) => one.told && !one.views))
const seen = computed(() => props.reports.filter((one) => !unseen.value.includes(one)))
const day = (one: string | null) =>
  one === null
    ? 'never'
    : new Date(`${one}T00:00:00`).toLocaleDateString('en-GB', { day: 'numeric', month: 'short' })
function looked(one: Schemas['ConcernedReport']): string {
  if (!one.told) return 'nobody tells who opens it'
  return `${plural(one.views, 'view')} by ${plural(one.people, 'person', 'people')} in 30 days, last ${day(one.last_opened)}`
}
</script>

<template>
  <details v-if="reports.length" class="concerned">
    <summary>
      <b>{{ plural(reports.length, 'report') }}</b> concerned<template v-if="unseen.length"
        >, {{ count(unseen.length) }} of which nobody has opened in 30 days</template
      >
    </summary>
    <p v-for="one in seen" :key="one.dataset">
      <span class="state" :class="KINDS[one.kind]?.tone ?? 'mute'">{{
        KINDS[one.kind]?.mark
      }}</span>
      <RouterLink :to="{ name: 'lineage', params: { dataset: String(one.dataset) } }">{{
        one.title
      }}</RouterLink>
      <span class="mute">{{ one.elements.join(', ') || 'by its formulas' }}</span>
      <span class="mute">{{ looked(one) }}</span>
      <span class="mute">{{ one.owner ?? '' }}</span>
    </p>
    <p v-if="unseen.length" class="unseen">
      Opened by nobody, so that they can probably go:
      <template v-for="(one, n) in unseen" :key="one.dataset">
        <template v-if="n">, </template>
        <RouterLink :to="{ name: 'lineage', params: { dataset: String(one.dataset) } }">{{
          one.title
        }}</RouterLink>
      </template>
    </p>
  </details>
  <details v-if="people.length" class="concerned">
    <summary>
      <b>{{ plural(people.length, 'person', 'people') }}</b> asked for what changes in the last 30
      days
    </summary>
    <p v-for="one in people" :key="one.person" class="person">
      <span>{{ one.person || 'unknown' }}</span>
      <span class="mute"
        >{{ plural(one.runs, 'run') }} of {{ plural(one.queries, 'query', 'queries') }}, last
        {{ day(one.last) }}</span
      >
    </p>
  </details>
</template>

<style scoped>
.concerned {
  border-bottom: 1px solid var(--hair);
  padding: 5px 0;
}
summary {
  cursor: pointer;
}
p {
  display: grid;
  grid-template-columns: 14px minmax(0, 1fr) minmax(0, 1.4fr) minmax(0, 1.4fr) 96px;
  gap: 10px;
  margin: 3px 0;
  font-size: 12px;
}
p.unseen {
  display: block;
}
p.person {
  grid-template-columns: 160px minmax(0, 1fr);
}
</style>
