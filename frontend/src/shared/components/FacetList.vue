<script setup lang="ts">
import { count } from '@/shared/format/humane'

/** Values of a facet with how many there are of each, to be chosen; what narrows them down goes into the slot. */
defineProps<{
  title: string
  hint?: string
  values: { value: string; count: number; label?: string; tone?: string }[]
  chosen: string[]
}>()
defineEmits<{ toggle: [value: string] }>()
</script>

<template>
  <h2 :title="hint">{{ title }}</h2>
  <slot />
  <label v-for="one in values" :key="one.value">
    <input
      type="checkbox"
      :checked="chosen.includes(one.value)"
      @change="$emit('toggle', one.value)"
    />
    <span :class="one.tone ? ['state', one.tone] : ''">{{ one.label ?? one.value }}</span>
    <small>{{ count(one.count) }}</small>
  </label>
</template>

<style scoped>
h2 {
  font-size: 11px;
  color: var(--mute);
  margin: 10px 0 3px;
}
label {
  display: flex;
  gap: 7px;
  align-items: center;
  padding: 2px 0;
  cursor: pointer;
}
label span {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
label small {
  color: var(--mute);
}
input[type='checkbox'] {
  accent-color: var(--sign);
  margin: 0;
}
</style>
