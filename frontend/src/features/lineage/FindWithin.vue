<script setup lang="ts">
import { useTemplateRef } from 'vue'
import { count } from '@/shared/format/humane'
import type { Within } from '@/api/client'

const words = defineModel<string>({ required: true })
/** at: which of what is found is looked at, from 0. */
defineProps<{ found: Within | null | undefined; at: number }>()
const emit = defineEmits<{ step: [by: number] }>()
const box = useTemplateRef<HTMLInputElement>('box')

function key(event: KeyboardEvent) {
  if (event.key === 'Enter') emit('step', event.shiftKey ? -1 : 1)
  else if (event.key === 'Escape') {
    words.value = ''
    box.value?.blur()
  } else return
  event.preventDefault()
  event.stopPropagation()
}
defineExpose({ focus: () => box.value?.select() })
</script>

<template>
  <span class="within" role="search">
    <input
      ref="box"
      v-model="words"
      type="search"
      placeholder="find within"
      aria-label="Find within the road"
      title="f"
      @keydown="key"
    />
    <span v-if="found" class="count" role="status">
      <template v-if="found.total">{{ at + 1 }} of {{ count(found.total) }}</template>
      <template v-else>nothing</template>
    </span>
    <template v-if="found?.matches.length">
      <button aria-label="The one before" @click="emit('step', -1)">‹</button>
      <button aria-label="The next one" @click="emit('step', 1)">›</button>
    </template>
  </span>
</template>

<style scoped>
.within {
  display: flex;
  gap: 7px;
  align-items: center;
}
input {
  width: 96px;
  border: 0;
  border-bottom: 1px solid var(--hair-strong);
  background: transparent;
  padding: 1px 0;
  font-size: 12px;
}
input:focus {
  width: 130px;
}
input::placeholder {
  color: var(--mute);
  opacity: 1;
}
.count {
  color: var(--ink);
}
</style>
