<script setup lang="ts">
import { computed, ref } from 'vue'
import { ApiError, api } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import { plural } from '@/shared/format/humane'
import ProtectedWarning from './ProtectedWarning.vue'

/** A reviewed change is taken over into a baseline, with a word of warning where that is protected. */
const props = defineProps<{ change: number }>()
const { data: list } = useAsked(['baselines'], api.baselines)
const chosen = ref(0)
const into = computed(
  () => list.value?.find((one) => one.id === chosen.value) ?? list.value?.[0] ?? null,
)
const asking = ref(false)
const told = ref('')
const byHand = ref('')
const refused = ref('')
async function take(confirmed: boolean) {
  if (!into.value) return
  asking.value = into.value.protected && !confirmed
  if (asking.value) return
  try {
    const done = await api.takeOver(into.value.id, { change: props.change, other: '0', confirmed })
    told.value = `${plural(done.taken, 'text')} taken over into ${into.value.name}.`
    byHand.value = done.by_hand
    refused.value = ''
  } catch (reason) {
    refused.value = reason instanceof ApiError ? reason.message : 'It could not be taken over.'
  }
}
</script>

<template>
  <p v-if="into">
    Take it over into
    <select
      :value="into.id"
      aria-label="A baseline"
      @change="chosen = Number(($event.target as HTMLSelectElement).value)"
    >
      <option v-for="one in list" :key="one.id" :value="one.id">{{ one.name }}</option>
    </select>
    <button class="link" @click="take(false)">take it over</button>
    <RouterLink :to="{ name: 'baselines', query: { from: '0', to: String(into.id) } }"
      >what it has otherwise</RouterLink
    >
  </p>
  <ProtectedWarning
    v-if="asking && into"
    :name="into.name"
    @confirm="take(true)"
    @leave="asking = false"
  />
  <p v-if="told" role="status">
    {{ told }}
    <template v-if="byHand">Its SQL is in no text; run it by hand.</template>
  </p>
  <p v-if="refused" class="state bad" role="alert">{{ refused }}</p>
</template>

<style scoped>
p {
  margin: 3px 0;
}
.link,
a {
  margin-left: 10px;
}
select {
  border: 0;
  background: transparent;
  color: var(--sign);
}
</style>
