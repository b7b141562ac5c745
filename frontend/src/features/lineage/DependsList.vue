<script setup lang="ts">
import { computed } from 'vue'
import type { Dependent } from '@/api/client'
import KindGlyph from '@/shared/components/KindGlyph.vue'
import { count, plural } from '@/shared/format/humane'
import type { LineageState } from './useLineage'

const props = defineProps<{ state: LineageState }>()
const wanted = props.state.dependsWords
const found = computed(() => props.state.depends.data.value)
const rows = computed(() => found.value?.items ?? [])
const all = (form: 'csv' | 'ndjson') =>
  `/api/v1/fields/${found.value?.field}/dependents/all?form=${form}&conditions=${props.state.conditions.value}`

function arrow(kind: Dependent['path'][number]['kind']): string {
  return kind === 'value' ? '→' : kind === 'contains' ? '∋' : '⇢'
}
function spoken(kind: Dependent['path'][number]['kind']): string {
  if (kind === 'value') return 'carried into'
  if (kind === 'contains') return 'whose rows hold'
  return kind === 'rows' ? 'decides the rows of' : 'decides about'
}
</script>

<template>
  <div class="depends">
    <p v-if="state.depends.error.value" class="note state bad">{{ state.depends.error.value }}</p>
    <p v-else-if="!found" class="note">Walking downstream…</p>
    <p v-else-if="!found.items.length && !wanted" class="note">
      Nothing that Jalan has read depends on <span class="mono">{{ found.label }}</span>. What has
      not been scanned or loaded is not known.
    </p>
    <template v-else>
      <div class="bar">
        <input
          v-model="wanted"
          type="search"
          placeholder="filter…"
          aria-label="Filter what depends on it"
        />
        <span>
          {{ plural(found.elements, 'element') }} in {{ plural(found.reports, 'report') }},
          {{ plural(found.columns, 'column') }}
        </span>
        <span v-if="found.total > 100" class="all">
          all of it: <a :href="all('csv')" download>CSV</a>,
          <a :href="all('ndjson')" download>NDJSON</a>
        </span>
        <span class="legend">→ carries the value, ⇢ only decides, ∋ whose rows hold</span>
      </div>
      <div class="scroll" tabindex="0" role="region" aria-label="What depends on it">
        <table>
          <thead>
            <tr>
              <th>what</th>
              <th>how</th>
              <th>owner</th>
              <th>the way there</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="item in rows" :key="item.field" :data-depends="item.field">
              <td>
                <button class="what" @click="state.follow(item.field, item.dataset)">
                  <KindGlyph :kind="item.report ? item.kind : 'table'" />
                  <span>
                    {{ item.dataset_title }} ▸
                    <b :class="{ mono: !item.report }">{{ item.name }}</b>
                  </span>
                </button>
              </td>
              <td :class="item.effect">{{ found?.effects[item.effect] }}</td>
              <td>{{ item.owner ?? '' }}</td>
              <td class="way">
                <template v-for="(step, i) in item.path" :key="i">
                  <span :title="spoken(step.kind)" aria-hidden="true">{{ arrow(step.kind) }}</span>
                  <span class="sr-only">{{ spoken(step.kind) }}</span>
                  <button
                    v-if="step.link"
                    class="mono"
                    :title="'Show the code of this step'"
                    @click="state.show(step.link)"
                  >
                    {{ step.label }}
                  </button>
                  <span v-else class="mono">{{ step.label.split('.').at(-1) }}</span>
                </template>
              </td>
            </tr>
          </tbody>
        </table>
        <p v-if="!rows.length" class="note">Nothing that depends on it is called so.</p>
        <p v-if="found.next" class="note">
          {{ count(rows.length) }} of {{ count(found.total) }} in
          {{ plural(found.groups_total, 'dataset') }} shown,
          <button class="link" @click="state.moreDepends()">show more</button>
        </p>
      </div>
    </template>
  </div>
</template>

<style scoped>
.depends {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
}
.note {
  padding: 10px 20px;
  margin: 0;
  color: var(--mute);
}
.bar {
  display: flex;
  gap: 20px;
  padding: 5px 20px;
  font-size: 11px;
  color: var(--mute);
  align-items: center;
}
.bar input {
  border: 0;
  border-bottom: 1px solid var(--hair);
  background: transparent;
  width: 180px;
  font-size: 12px;
}
.bar input::placeholder {
  color: var(--mute);
  opacity: 1;
}
.legend {
  margin-left: auto;
}
.scroll {
  overflow: auto;
}
table {
  border-collapse: collapse;
  width: 100%;
  font-size: 12px;
}
th {
  position: sticky;
  top: 0;
  background: var(--sheet);
  text-align: left;
  font-weight: 400;
  font-size: 11px;
  color: var(--mute);
  padding: 2px 10px 3px 20px;
  border-bottom: 1px solid var(--hair);
}
td {
  padding: 4px 10px 4px 20px;
  border-bottom: 1px solid var(--hair);
  vertical-align: top;
  white-space: nowrap;
}
.what {
  display: flex;
  gap: 7px;
  align-items: center;
}
.what:hover b,
.way button:hover {
  color: var(--sign);
  text-decoration: underline;
}
b {
  font-weight: 600;
}
b.mono {
  font-weight: 400;
}
td.condition {
  color: var(--cond);
}
.way {
  color: var(--mute);
  font-size: 11px;
  white-space: normal;
  line-height: 1.6;
}
.way > * {
  margin-right: 5px;
}
</style>
