<script setup lang="ts">
import { computed, ref } from 'vue'
import { ElMessage } from 'element-plus'
import { plural } from '@/shared/format/humane'
import { drawn } from './layout'
import { jobName } from './naming'
import type { LineageState } from './useLineage'

const props = defineProps<{ state: LineageState }>()
const wanted = ref('')

const all = computed(() => {
  const map = props.state.map.data.value
  if (!map) return []
  const titles = new Map<number, { title: string; lane: number }>()
  const names = new Map<number, string>()
  for (const lane of map.lanes) {
    for (const dataset of lane.datasets) {
      titles.set(dataset.id, { title: dataset.title, lane: lane.offset })
      for (const field of dataset.fields) names.set(field.id, field.name)
    }
  }
  return drawn(map, 'columns', props.state.conditions.value)
    .flatMap((line) => line.link ?? [])
    .map((link) => ({
      id: link.id,
      lane: titles.get(link.target_dataset)?.lane ?? 0,
      from: titles.get(link.source_dataset)?.title ?? '',
      column: names.get(link.source_field) ?? '',
      to: titles.get(link.target_dataset)?.title ?? '',
      into: link.target_field === null ? '(rows)' : (names.get(link.target_field) ?? ''),
      kind: link.kind,
      how: link.how.replace('_', ' '),
      code: link.label,
      by: jobName(link.by),
    }))
    .sort((a, b) => a.lane - b.lane || a.to.localeCompare(b.to) || a.into.localeCompare(b.into))
})
const bundled = computed(() =>
  (props.state.map.data.value?.bundles ?? []).reduce((sum, bundle) => sum + bundle.links, 0),
)
const rows = computed(() => {
  const low = wanted.value.trim().toLowerCase()
  if (!low) return all.value
  return all.value.filter((row) => Object.values(row).join(' ').toLowerCase().includes(low))
})

async function copy() {
  const columns = ['from', 'column', 'to', 'into', 'kind', 'how', 'code', 'by'] as const
  const cell = (text: string) => (/[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text)
  const lines = rows.value.map((row) => columns.map((name) => cell(String(row[name]))).join(','))
  await navigator.clipboard.writeText([columns.join(','), ...lines].join('\n'))
  ElMessage({
    message: `Copied ${plural(rows.value.length, 'row')} as CSV.`,
    type: 'success',
    plain: true,
  })
}
</script>

<template>
  <div class="table">
    <div class="bar">
      <ElInput
        v-model="wanted"
        placeholder="filter by any word…"
        clearable
        size="small"
        aria-label="Filter"
      />
      <span>{{ plural(rows.length, 'link') }}</span>
      <span v-if="bundled" title="The export has all of them">
        {{ plural(bundled, 'further link') }} between the datasets shown, not listed
      </span>
      <button class="link" @click="copy">copy as CSV</button>
    </div>
    <ElTable
      :data="rows"
      height="100%"
      size="small"
      row-key="id"
      @row-click="(row) => state.show(row.id)"
    >
      <ElTableColumn prop="from" label="from" sortable min-width="150" />
      <ElTableColumn prop="column" label="column" sortable min-width="120" class-name="mono" />
      <ElTableColumn prop="to" label="to" sortable min-width="150" />
      <ElTableColumn prop="into" label="into" sortable min-width="130" class-name="mono" />
      <ElTableColumn prop="kind" label="kind" sortable width="90" />
      <ElTableColumn prop="how" label="how" sortable width="116" />
      <ElTableColumn
        prop="code"
        label="code"
        min-width="220"
        class-name="mono"
        show-overflow-tooltip
      />
      <ElTableColumn prop="by" label="done by" min-width="170" show-overflow-tooltip />
      <template #empty>No link here matches.</template>
    </ElTable>
  </div>
</template>

<style scoped>
.table {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  height: 100%;
  padding: 0 20px;
}
.bar {
  display: flex;
  gap: 18px;
  align-items: center;
  padding: 8px 0;
  color: var(--mute);
}
.bar .el-input {
  width: 260px;
}
.table :deep(.mono .cell) {
  font-family: var(--mono);
  font-size: 12px;
}
.table :deep(.el-table__row) {
  cursor: pointer;
}
</style>
