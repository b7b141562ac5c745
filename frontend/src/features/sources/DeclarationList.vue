<script setup lang="ts">
import { api } from '@/api/client'
import { useAttempt } from '@/shared/composables/useAttempt'
import { useAsked } from '@/shared/composables/useAsked'

const KINDS = { value: 'carries the value', condition: 'only decides', consumer: 'a consumer' }

/** The links and consumers that people declared on the screen; each can be taken back. */
const emit = defineEmits<{ changed: [] }>()
const { data, error, reload: refresh } = useAsked(['declarations'], api.declarations)
const { problem, busy, attempt } = useAttempt()

async function takeBack(id: number) {
  if (!(await attempt(() => api.takeBack(id)))) return
  await refresh()
  emit('changed')
}
</script>

<template>
  <p v-if="error ?? problem" class="state bad" role="alert">{{ error ?? problem }}</p>
  <p v-if="data && !data.length" class="mute">Nothing is declared any more.</p>
  <ul v-else-if="data">
    <li v-for="one in data" :key="one.id">
      <span class="mono">{{ one.sources.join(', ') }} → {{ one.target }}</span>
      <small>
        {{ KINDS[one.kind] }}{{ one.owner ? ` of ${one.owner}` : '' }}, because
        {{ one.because }} ({{ one.by }}, {{ one.on }})
      </small>
      <button class="link" :disabled="busy" @click="takeBack(one.id)">take it back</button>
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
