<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { ApiError, api, type Proposal, type Schemas } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import { ago, count, exact } from '@/shared/format/humane'
import { KINDS } from './consequences'
import TakeOver from './TakeOver.vue'

/** A kept change: whose it is, how far it has come, and what it does otherwise than when it was kept. */
const props = defineProps<{ kept: number; now: Proposal }>()
const emit = defineEmits<{ take: [proposal: Proposal]; gone: [] }>()
const STATES: Schemas['KeptState'][] = ['proposed', 'reviewed', 'done', 'dropped']
const { data, error, reload } = useAsked(
  () => ['kept change', props.kept],
  (signal) => api.keptChange(props.kept, signal),
)
const mine = computed(() => (data.value?.kept.id === props.kept ? data.value.kept : null))
watch(mine, (one, before) => one && one.id !== before?.id && emit('take', one), { immediate: true })
const said = (one: Proposal) => [one.sql.trim(), one.stopped, one.late, one.delivers, one.edits]
const differs = computed(
  () => mine.value !== null && JSON.stringify(said(mine.value)) !== JSON.stringify(said(props.now)),
)
const client = useQueryClient()
const refused = ref('')
async function tell(what: () => Promise<unknown>, after: () => unknown = reload) {
  try {
    await what()
    refused.value = ''
    void client.invalidateQueries({ queryKey: ['kept changes'] })
    await after()
  } catch (reason) {
    refused.value = reason instanceof ApiError ? reason.message : 'It could not be kept.'
  }
}
const letGo = () =>
  tell(
    () => api.letChangeGo(props.kept),
    () => emit('gone'),
  )
const word = (kind: string) => KINDS[kind]?.label ?? kind
</script>

<template>
  <section v-if="mine || error" class="kept" aria-label="The kept change">
    <p v-if="error || refused" class="state bad" role="alert">{{ error || refused }}</p>
    <template v-if="mine">
      <h2>
        {{ mine.name }}
        <span class="mute" :title="exact(mine.kept_at)"
          >{{ mine.who }}, {{ ago(mine.kept_at) }}</span
        >
        <select
          :value="mine.state"
          aria-label="How far it has come"
          @change="
            tell(() =>
              api.editKeptChange(kept, {
                state: ($event.target as HTMLSelectElement).value as Schemas['KeptState'],
                settle: false,
              }),
            )
          "
        >
          <option v-for="one in STATES" :key="one">{{ one }}</option>
        </select>
        <button class="link" @click="letGo">let it go</button>
      </h2>
      <TakeOver v-if="['reviewed', 'done'].includes(mine.state)" :change="mine.id" />
      <p v-if="data?.impossible" class="state bad" role="alert">{{ data.impossible }}</p>
      <p v-if="differs" class="state warn">
        What stands here is otherwise than what is kept.
        <button class="link" @click="emit('take', mine)">back to what is kept</button>
      </p>
      <p v-else-if="data && !data.came_total && !data.went_total" class="mute">
        It does what it did <span :title="exact(mine.at)">{{ ago(mine.at) }}</span>.
      </p>
      <template v-else-if="data">
        <p>
          Otherwise than <span :title="exact(mine.at)">{{ ago(mine.at) }}</span>:
          {{ count(data.came_total) }} came, {{ count(data.went_total) }} went.
          <button class="link" @click="tell(() => api.editKeptChange(kept, { settle: true }))">
            settle it so
          </button>
        </p>
        <p v-for="one in data.came.slice(0, 8)" :key="`+${one.kind}${one.subject}`" class="small">
          <b>+</b> {{ one.subject }} <span class="mute">{{ word(one.kind) }}</span>
        </p>
        <p v-for="one in data.went.slice(0, 8)" :key="`-${one.kind}${one.subject}`" class="small">
          <b>−</b> {{ one.subject }} <span class="mute">{{ word(one.kind) }}</span>
        </p>
      </template>
    </template>
  </section>
</template>

<style scoped>
.kept {
  border-bottom: 2px solid var(--hair);
  padding-bottom: 6px;
  margin-bottom: 6px;
}
h2 {
  display: flex;
  gap: 14px;
  align-items: baseline;
  font-size: 14px;
  margin: 4px 0;
}
h2 span {
  font-weight: 400;
  font-size: 12px;
}
select {
  margin-left: auto;
  border: 0;
  background: transparent;
  color: var(--sign);
}
p {
  margin: 2px 0;
}
.small {
  font-size: 12px;
}
</style>
