<script setup lang="ts">
import { computed } from 'vue'

/** A value as a tree whose branches open one by one: a plan, a facet. */
const props = defineProps<{ name: string; value: unknown; open?: boolean }>()
const branches = computed<[string, unknown][] | null>(() => {
  const value = props.value
  if (Array.isArray(value)) return value.map((one, n) => [String(n + 1), one])
  if (value && typeof value === 'object')
    return Object.entries(value).filter(([key]) => !key.startsWith('_'))
  return null
})
/** What stands beside a closed branch: the names that plans give to their nodes. */
const told = computed(() => {
  const value = props.value
  if (!value || typeof value !== 'object' || Array.isArray(value)) return ''
  const known = value as Record<string, unknown>
  const found = ['class', 'node', 'nodeName', 'operator', 'type', 'name']
    .map((key) => known[key])
    .find(Boolean)
  return typeof found === 'string' ? (found.split('.').at(-1) ?? '') : ''
})
</script>

<template>
  <details v-if="branches?.length" :open="open">
    <summary>
      {{ name }} <b>{{ told }}</b> <span class="mute">{{ branches.length }}</span>
    </summary>
    <div class="inner">
      <JsonTree v-for="[key, inner] in branches" :key="key" :name="key" :value="inner" />
    </div>
  </details>
  <p v-else>
    {{ name }} <span class="mono">{{ branches ? 'empty' : String(value) }}</span>
  </p>
</template>

<style scoped>
.inner {
  padding-left: 16px;
  border-left: 1px solid var(--hair);
  margin-left: 4px;
}
p {
  margin: 0;
  overflow-wrap: anywhere;
}
summary {
  cursor: pointer;
}
.mono {
  font-family: var(--mono);
  font-size: 12px;
}
</style>
