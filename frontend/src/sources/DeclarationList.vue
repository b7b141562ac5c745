<script setup lang="ts">
import { ref } from 'vue'
import { api, ApiError } from '@/api/client'
import type { Schemas } from '@/api/client'
import { useLoad } from '@/useLoad'

/** The links that people declared on the screen; each can be taken back. */
const emit = defineEmits<{ changed: [] }>()
const { data, error, load } = useLoad<Schemas['DeclarationFact'][]>()
const problem = ref<string | null>(null)
const refresh = () => load(() => api.declarations())
void refresh()

async function takeBack(id: number) {
  problem.value = null
  try {
    await api.takeBack(id)
    await refresh()
    emit('changed')
  } catch (reason) {
    if (!(reason instanceof ApiError)) throw reason
    problem.value = reason.message
  }
}
</script>

<template>
  <p v-if="error ?? problem" class="state bad" role="alert">{{ error ?? problem }}</p>
  <p v-if="data && !data.length" class="mute">Nothing is declared any more.</p>
  <ul v-else-if="data">
    <li v-for="one in data" :key="one.id">
      <span class="mono">{{ one.source }} → {{ one.target }}</span>
      <small>
        {{ one.kind === 'value' ? 'carries the value' : 'only decides' }}, because
        {{ one.because }} ({{ one.by }}, {{ one.on }})
      </small>
      <button class="link" @click="takeBack(one.id)">take it back</button>
    </li>
  </ul>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  padding: 4px 0;
  border-bottom: 1px solid var(--hair);
  overflow-wrap: anywhere;
}
small {
  display: block;
  color: var(--mute);
  font-size: 11px;
}
</style>
