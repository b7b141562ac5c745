<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Proposal } from '@/api/client'
import { count } from '@/shared/format/humane'
import ConcernedList from './ConcernedList.vue'
import ConsequenceRow from './ConsequenceRow.vue'
import EditedQuery from './EditedQuery.vue'
import SubjectName from './SubjectName.vue'
import { KINDS, grouped, holds, type Grouping, type Outcome } from './consequences'

/** What becomes of everything: the worst first, in groups, narrowed down by kind and by words. */
const props = defineProps<{ outcome: Outcome; proposal?: Proposal }>()
const by = ref<Grouping>('kind')
const typed = ref('')
const only = ref<string | null>(null)
const rows = computed(() =>
  props.outcome.consequences.filter(
    (one) => (only.value === null || one.kind === only.value) && holds(one, typed.value),
  ),
)
const groups = computed(() => grouped(rows.value, by.value))
const showUntouched = ref(false)
watch(
  () => props.outcome,
  () => {
    only.value = null
    showUntouched.value = false
  },
)
</script>

<template>
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
  <EditedQuery v-for="one in outcome.edits" :key="one.subject" :edit="one" :proposal="proposal" />
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
      <b class="mute">{{ count(outcome.untouched_total) }}</b>untouched
    </button>
  </div>
  <ConcernedList
    v-if="outcome.reports.length || outcome.people.length"
    :reports="outcome.reports"
    :people="outcome.people"
  />
  <slot />
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
  <p v-if="outcome.consequences_total > outcome.consequences.length" class="mute">
    These are the worst {{ count(outcome.consequences.length) }} of
    {{ count(outcome.consequences_total) }}; `jalan change` prints all.
  </p>
  <p v-if="outcome.consequences.length && !rows.length" class="mute">
    No consequence has these words.
  </p>
  <p v-if="!outcome.refused && !outcome.consequences.length" class="good">
    Nothing breaks, goes stale, holds other values or has other columns.
  </p>
  <p v-if="!outcome.refused" class="mute untouched">
    <b>Untouched</b> though downstream: reach alone would have warned of
    {{ count(outcome.reachable) }}; {{ count(outcome.untouched_total) }} need no word.
    <button v-if="outcome.untouched.length" class="link" @click="showUntouched = !showUntouched">
      {{ showUntouched ? 'hide them' : 'show them' }}
    </button>
  </p>
  <ul v-if="showUntouched">
    <li v-for="one in outcome.untouched" :key="one.subject">
      <SubjectName :subject="one.subject" :dataset="one.dataset">{{ one.subject }}</SubjectName>
      <small class="mute"> {{ one.what === 'job' ? 'runs as before' : one.what }}</small>
    </li>
  </ul>
</template>

<style scoped>
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
  grid-template-columns: repeat(8, minmax(0, 1fr));
  align-items: start;
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
</style>
