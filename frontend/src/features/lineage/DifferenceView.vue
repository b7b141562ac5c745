<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { momentName } from '@/features/history/moments'
import TextDifference from '@/shared/components/TextDifference.vue'
import { count, exact, plural } from '@/shared/format/humane'
import type { LineageState } from './useLineage'

/** What is another around what is here at one time than at an earlier one. */
const props = defineProps<{
  state: LineageState
  found: Schemas['Difference'] | null
  error: string | null
}>()
const data = computed(() => props.found)
const SAID: Record<string, { mark: string; word: string }> = {
  came: { mark: '+', word: 'came' },
  went: { mark: '−', word: 'went' },
  changed: { mark: '≠', word: 'changed' },
}
const nothing = computed(
  () =>
    data.value &&
    !(
      data.value.datasets_total +
      data.value.columns_total +
      data.value.links_total +
      data.value.definitions_total
    ),
)
const parts = computed(() => {
  const found = data.value
  if (!found) return []
  return [
    { name: 'dataset', total: found.datasets_total, rows: found.datasets.map(asDataset) },
    { name: 'column', total: found.columns_total, rows: found.columns.map(asColumn) },
    { name: 'link', total: found.links_total, rows: found.links.map(asLink) },
  ].filter((part) => part.total)
})
interface Row {
  key: string
  went: string
  text: string
  note: string
  to: { dataset?: number; link?: number }
}
function asDataset(one: Schemas['DatasetChange']): Row {
  const key = `d${one.dataset}`
  return { key, went: one.went, text: one.name, note: one.kind, to: { dataset: one.dataset } }
}
function asColumn(one: Schemas['ColumnChange']): Row {
  const note =
    one.went === 'changed' ? `${one.before} became ${one.after}` : (one.after ?? one.before ?? '')
  return {
    key: `c${one.field}`,
    went: one.went,
    text: one.name,
    note,
    to: { dataset: one.dataset },
  }
}
function asLink(one: Schemas['LinkChange']): Row {
  const note = one.kind === 'condition' ? `only decides, by ${one.label}` : one.label
  const text = `${one.source} → ${one.target}`
  return { key: `l${one.link}`, went: one.went, text, note, to: { link: one.link } }
}
/** The code of a link as it was while it held. */
function show(row: Row) {
  if (row.to.dataset) props.state.open(row.to.dataset)
  else if (row.to.link) {
    props.state.showAt(
      row.to.link,
      row.went === 'went' ? props.state.against.value : props.state.at.value,
    )
  }
}
</script>

<template>
  <section class="difference" aria-label="The difference">
    <p v-if="error" class="state bad" role="alert">{{ error }}</p>
    <p v-else-if="!data" class="mute">Comparing the two moments…</p>
    <template v-else>
      <p class="said">
        <b v-if="nothing">Nothing is another</b>
        <b v-else>
          {{
            [
              ...parts.map((part) => plural(part.total, part.name)),
              ...(data.definitions_total ? [plural(data.definitions_total, 'definition')] : []),
            ].join(', ')
          }}
          came, went or changed</b
        >
        between <span :title="exact(data.since)">{{ momentName(data.since) }}</span> and
        <span :title="exact(data.until)">{{ momentName(data.until) }}</span>, among
        {{ plural(data.looked_at, 'dataset')
        }}{{ data.looked_at < data.within ? ` of ${count(data.within)}, the nearest` : '' }}
        within reach.
      </p>
      <div class="lists">
        <section v-for="part in parts" :key="part.name">
          <h2>
            {{ part.name }}s <span>{{ count(part.total) }}</span>
          </h2>
          <button v-for="row in part.rows" :key="row.key + row.went" class="row" @click="show(row)">
            <b :class="row.went" :title="SAID[row.went]?.word">{{ SAID[row.went]?.mark }}</b>
            <span class="t mono">{{ row.text }}</span>
            <span class="mute n">{{ row.note }}</span>
          </button>
          <p v-if="part.rows.length < part.total" class="mute">
            the first {{ count(part.rows.length) }} of {{ count(part.total) }} are shown
          </p>
        </section>
      </div>
      <section v-for="one in data.definitions" :key="one.key" class="text">
        <h2>
          <span
            ><b :class="one.went">{{ SAID[one.went]?.mark }}</b> {{ one.place }},
            {{ one.went === 'changed' ? 'says something else' : one.went }}</span
          ><span
            >{{ [one.author, one.revision?.slice(0, 8)].filter(Boolean).join(', ')
            }}{{ one.cut ? ' (only its first lines are compared)' : '' }}</span
          >
        </h2>
        <TextDifference :lines="one.lines" />
      </section>
      <p v-if="data.definitions.length < data.definitions_total" class="mute">
        {{ count(data.definitions_total - data.definitions.length) }} more definitions are not shown
      </p>
    </template>
  </section>
</template>

<style scoped>
.difference {
  height: 100%;
  overflow: auto;
  padding: 10px 20px 30px;
}
.said {
  margin: 0 0 6px;
}
.lists {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(380px, 1fr));
  gap: 0 32px;
  align-items: start;
}
h2 {
  display: flex;
  justify-content: space-between;
  font-size: 11px;
  color: var(--mute);
  border-bottom: 2px solid var(--hair);
  padding: 10px 0 4px;
}
.row {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr) minmax(0, 0.6fr);
  gap: 6px;
  align-items: baseline;
  width: 100%;
  padding: 3px 0;
  border-bottom: 1px solid var(--hair);
  font-size: 12px;
}
.row:hover {
  background: var(--sign-wash);
}
.t,
.n {
  overflow-wrap: anywhere;
}
.came {
  color: var(--sign);
}
.went {
  color: var(--brick);
}
.changed {
  color: var(--amber);
}
.text {
  margin-top: 6px;
}
</style>
