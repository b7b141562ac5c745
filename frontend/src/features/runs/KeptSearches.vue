<script setup lang="ts">
import { ref } from 'vue'
import { api, type Schemas } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'

/** Searches that are kept under a name. query: the one that is shown. */
const props = defineProps<{ query: Record<string, unknown> }>()
defineEmits<{ recall: [query: Schemas['KeptSearchFact']['query']] }>()
const { data, reload } = useAsked(['searches'], (signal) => api.searches(signal))
const naming = ref<string | null>(null)
const refused = ref('')
async function keep() {
  const name = naming.value?.trim()
  if (!name) return
  try {
    await api.keepSearch(name, props.query)
    naming.value = null
    refused.value = ''
    await reload()
  } catch (reason) {
    refused.value = reason instanceof Error ? reason.message : 'The search could not be kept.'
  }
}
async function letGo(id: number) {
  await api.letSearchGo(id)
  await reload()
}
</script>

<template>
  <section>
    <h2>Kept searches</h2>
    <p v-for="one in data ?? []" :key="one.id" class="kept">
      <button class="link" @click="$emit('recall', one.query)">{{ one.name }}</button>
      <button
        class="mute"
        :aria-label="`Let “${one.name}” go`"
        title="let it go"
        @click="letGo(one.id)"
      >
        ×
      </button>
    </p>
    <form v-if="naming !== null" @submit.prevent="keep">
      <input
        v-model="naming"
        class="within"
        aria-label="Name of the search"
        placeholder="a name, then Enter"
        maxlength="100"
        @keydown.esc="naming = null"
      />
    </form>
    <button v-else class="link" @click="naming = ''">keep this one</button>
    <p v-if="refused" class="state bad" role="alert">{{ refused }}</p>
  </section>
</template>

<style scoped>
h2 {
  font-size: 11px;
  color: var(--mute);
  margin: 10px 0 3px;
}
.kept {
  display: flex;
  justify-content: space-between;
  margin: 2px 0;
}
</style>
