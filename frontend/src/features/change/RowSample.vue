<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, type Proposal } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import { count } from '@/shared/format/humane'

/** Rows of an edited query from the real database: what it gives as it is, and as it would be. */
const props = defineProps<{ proposal: Proposal; subject: string }>()
const wanted = ref(false)
const typed = ref('')
const condition = ref('')
const { data, error, loading } = useAsked(
  () => (wanted.value ? ['sample', props.proposal, props.subject, condition.value] : null),
  (signal) =>
    api.sampleChange(
      { ...props.proposal, subject: props.subject, condition: condition.value },
      signal,
    ),
)
const rows = computed(() => data.value?.rows ?? [])
/** The columns, those in which something differs first: there may be many. */
const columns = computed(() => {
  const differs = (at: number) =>
    rows.value.some((row) => row.before && row.after && row.before[at] !== row.after[at])
  return (data.value?.columns ?? [])
    .map((one, at) => ({ ...one, at, differs: differs(at) }))
    .sort((one, other) => Number(other.differs) - Number(one.differs))
})
const SAID: Record<string, string> = {
  '≁': 'some values differ',
  '+': 'only after',
  '−': 'only before',
}
/** A value as it is shown: without the zeros that say nothing at the end of a number. */
function shown(value: string | null | undefined): string {
  if (value == null) return 'null'
  return /^-?\d+\.\d+$/.test(value) ? value.replace(/\.?0+$/, '') : value
}
const figure = (one: number | null) => (one === null ? '—' : count(one))
function said(before: number | null, after: number | null): string {
  return before === after ? figure(after) : `${figure(before)} → ${figure(after)}`
}
</script>

<template>
  <details
    class="sample"
    :aria-busy="loading"
    @toggle="wanted = ($event.target as HTMLDetailsElement).open"
  >
    <summary class="small">rows, before and after</summary>
    <form class="narrow" @submit.prevent="condition = typed">
      <input
        v-model="typed"
        class="mono"
        maxlength="2000"
        placeholder="a filter over its columns, such as sold_on >= '2026-11-01'"
        :aria-label="`A filter over the rows of ${subject}`"
      />
      <button class="link small">look</button>
    </form>
    <p v-if="error" class="state bad" role="alert">{{ error }}</p>
    <p v-else-if="!data" class="mute small">Asking the database…</p>
    <template v-else>
      <p v-if="data.failed_before" class="state bad">As it is: {{ data.failed_before }}</p>
      <p v-if="data.failed_after" class="state bad">As it would be: {{ data.failed_after }}</p>
      <p class="mute small">
        {{ said(data.rows_before, data.rows_after) }} rows{{
          data.more ? `, ${count(rows.length)} of them shown, those that differ first` : ''
        }}<template v-if="data.keys.length"
          >; side by side where {{ data.keys.join(', ') }} are the same</template
        >.
        <template v-if="data.rows_before === null || data.rows_after === null"
          >Counting takes too long; a filter helps.</template
        >
      </p>
      <div v-if="rows.length" class="scroll" tabindex="0" :aria-label="`Rows of ${subject}`">
        <table class="mono">
          <thead>
            <tr>
              <th></th>
              <th v-for="one in columns" :key="one.name" scope="col">
                {{ one.name }}
                <small class="mute"
                  >{{ said(one.distinct_before, one.distinct_after) }} different,
                  {{ said(one.nulls_before, one.nulls_after) }} null</small
                >
              </th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="(row, n) in rows"
              :key="n"
              :class="{ gone: row.mark === '−', new: row.mark === '+' }"
            >
              <td :title="SAID[row.mark]">{{ row.mark }}</td>
              <td
                v-for="one in columns"
                :key="one.name"
                :title="(row.after ?? row.before)?.[one.at] ?? 'null'"
                :class="{
                  differs: row.before && row.after && row.before[one.at] !== row.after[one.at],
                }"
              >
                <template
                  v-if="row.before && row.after && row.before[one.at] !== row.after[one.at]"
                >
                  <del>{{ shown(row.before[one.at]) }}</del>
                  <ins>{{ shown(row.after[one.at]) }}</ins>
                </template>
                <template v-else>{{ shown((row.after ?? row.before)?.[one.at]) }}</template>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <p v-else-if="!data.failed_before && !data.failed_after" class="mute small">No rows.</p>
    </template>
  </details>
</template>

<style scoped>
.sample {
  margin: 4px 0;
}
summary {
  cursor: pointer;
  color: var(--sign);
}
.small {
  font-size: 12px;
}
.narrow {
  display: flex;
  gap: 12px;
  margin: 4px 0;
}
.narrow input {
  flex: 1;
  border: 0;
  border-bottom: 1px solid var(--hair);
  background: none;
  font-size: 12px;
  color: inherit;
}
p {
  margin: 3px 0;
}
.scroll {
  max-height: 300px;
  overflow: auto;
  border: 1px solid var(--hair);
  background: var(--sheet);
}
table {
  border-collapse: collapse;
  font-size: 12px;
}
th,
td {
  text-align: left;
  padding: 2px 10px;
  white-space: nowrap;
  vertical-align: top;
  max-width: 280px;
  overflow: hidden;
  text-overflow: ellipsis;
  border-bottom: 1px solid var(--hair);
}
th {
  position: sticky;
  top: 0;
  background: var(--sheet);
  vertical-align: top;
}
th small {
  display: block;
  font: 11px var(--text);
}
td:first-child,
th:first-child {
  padding: 2px 2px 2px 8px;
}
.differs {
  background: color-mix(in srgb, var(--amber) 14%, transparent);
}
.gone {
  background: color-mix(in srgb, var(--brick) 10%, transparent);
}
.new {
  background: var(--sign-wash);
}
del {
  color: var(--mute);
}
del,
ins {
  display: block;
}
ins {
  text-decoration: none;
  font-weight: 600;
}
</style>
