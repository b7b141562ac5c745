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
const listed = computed(() =>
  [...new Set([...Object.keys(props.edits), ...(props.open ? [props.open] : [])])].sort(),
)
const find = (words: string, signal: AbortSignal) =>
  api.changeTexts(words, props.database, true, signal)
</script>

<template>
  <TakenName
    v-for="place in listed"
    :key="place"
    :name="place"
    :label="place in edits ? `take back the edit of ${place}` : undefined"
    @back="emit('takeBack', place)"
  >
    <button
      class="link mono"
      :aria-expanded="open === place"
      @click="emit('open', open === place ? null : place)"
    >
      {{ place }}
    </button>
    <template v-if="!(place in edits)" #more><span class="mute">as it is</span></template>
  </TakenName>
  <OfferedNames
    what="all change texts"
    placeholder="a file, or a report's query, to edit…"
    label="Find a text to edit"
    offered="Texts"
    none="No text that is run or asked has these words."
    :taken="listed"
    :database="database"
    :find="find"
    @take="(place) => emit('open', place)"
  />
</template>
