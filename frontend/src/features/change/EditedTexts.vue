<script setup lang="ts">
import { computed } from 'vue'
import { api } from '@/api/client'
import OfferedNames from './OfferedNames.vue'
import TakenName from './TakenName.vue'

/** The texts that would be otherwise: found by words in their places, opened, taken back one by one. */
const props = defineProps<{
  edits: Record<string, string>
  open: string | null
  database: string | undefined
}>()
const emit = defineEmits<{ open: [place: string | null]; takeBack: [place: string] }>()
const edited = computed(() => Object.keys(props.edits).sort())
const find = (words: string, signal: AbortSignal) =>
  api.changeTexts(words, props.database, true, signal)
</script>

<template>
  <TakenName
    v-for="place in edited"
    :key="place"
    :name="place"
    :label="`take back the edit of ${place}`"
    @back="emit('takeBack', place)"
  >
    <button
      class="link mono"
      :aria-expanded="open === place"
      @click="emit('open', open === place ? null : place)"
    >
      {{ place }}
    </button>
  </TakenName>
  <p v-if="open && !(open in edits)" class="one">
    <button class="link mono" aria-expanded="true" @click="emit('open', null)">{{ open }}</button>
    <span class="mute"> as it is</span>
  </p>
  <OfferedNames
    what="all change texts"
    placeholder="a file, or a report's query, to edit…"
    label="Find a text to edit"
    offered="Texts"
    none="No text that is run or asked has these words."
    :taken="open ? [...edited, open] : edited"
    :database="database"
    :find="find"
    @take="(place) => emit('open', place)"
  />
</template>

<style scoped>
.one {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  margin: 4px 0;
  font-size: 12px;
}
</style>
