<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { ref } from 'vue'
import { api, type Found } from '@/api/client'

/** Finds another dataset by its name. */
const props = defineProps<{ except: number; label: string }>()
const emit = defineEmits<{ choose: [found: Found]; leave: [] }>()
const wanted = ref('')
const hits = ref<Found[] | null>(null)
const look = useDebounceFn(async () => {
  const words = wanted.value.trim()
  const found = words ? await api.find(words) : []
  hits.value = words
    ? found.filter((hit) => hit.kind === 'dataset' && hit.dataset !== props.except)
    : null
}, 150)
</script>

<template>
  <div>
    <input
      v-model="wanted"
      type="search"
      placeholder="name of the other dataset…"
      :aria-label="label"
      @input="look"
      @keydown.esc="emit('leave')"
    />
    <p v-for="hit in (hits ?? []).slice(0, 6)" :key="hit.dataset">
      <button class="link" @click="emit('choose', hit)">{{ hit.title }}</button>
      <small>{{ hit.path }}</small>
    </p>
    <p v-if="hits && !hits.length" class="mute">No other dataset is called so.</p>
  </div>
</template>

<style scoped>
input {
  width: 100%;
  border: 1px solid var(--hair-strong);
  border-radius: 3px;
  background: var(--paper);
  padding: 3px 7px;
}
p {
  margin: 0;
  padding: 2px 0;
}
small {
  display: block;
  color: var(--mute);
  font-size: 11px;
}
</style>
