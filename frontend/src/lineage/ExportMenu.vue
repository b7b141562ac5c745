<script setup lang="ts">
import { computed, ref } from 'vue'
import type { DatasetFacts } from '@/api/client'

/** Hands the graph on in an open format: the part around a dataset as it is shown, or all of it. */
const props = defineProps<{ facts: DatasetFacts; back: number; ahead: number }>()

const FORMS = [
  { name: 'openlineage', title: 'OpenLineage', what: 'events, one a line' },
  { name: 'prov-json', title: 'W3C PROV', what: 'JSON' },
  { name: 'graphml', title: 'GraphML', what: 'XML of nodes and edges' },
  { name: 'dot', title: 'DOT', what: 'text for Graphviz' },
  { name: 'mermaid', title: 'Mermaid', what: 'text for Markdown' },
  { name: 'csv', title: 'CSV', what: 'a row for each link' },
  { name: 'parquet', title: 'Parquet', what: 'a row for each link' },
]
const open = ref(false)
const whole = ref(false)
const part = computed(() => {
  const hops = (count: number) => (count >= 50 ? 'all the way' : String(count))
  return `${hops(props.back)} back, ${hops(props.ahead)} ahead`
})
const query = computed(() =>
  whole.value
    ? ''
    : `?${new URLSearchParams({
        around: String(props.facts.id),
        back: String(props.back),
        ahead: String(props.ahead),
      })}`,
)
</script>

<template>
  <ElPopover v-model:visible="open" trigger="click" :width="280" placement="bottom-end">
    <template #reference>
      <button :aria-expanded="open">export</button>
    </template>
    <div class="export" @keydown.esc.stop="open = false">
      <label><input v-model="whole" type="radio" :value="false" /> this part: {{ part }}</label>
      <label><input v-model="whole" type="radio" :value="true" /> the whole graph</label>
      <ul>
        <li v-for="form in FORMS" :key="form.name">
          <a :href="`/api/v1/export/${form.name}${query}`" download @click="open = false">{{
            form.title
          }}</a>
          <small>{{ form.what }}</small>
        </li>
      </ul>
    </div>
  </ElPopover>
</template>

<style scoped>
.export {
  font-size: 12px;
  color: var(--ink);
}
label {
  display: flex;
  gap: 6px;
  align-items: center;
  padding: 2px 0;
}
ul {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
}
li {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  padding: 3px 0;
  border-top: 1px solid var(--hair);
}
small {
  color: var(--mute);
  font-size: 11px;
}
</style>
