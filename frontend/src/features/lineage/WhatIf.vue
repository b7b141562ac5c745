<script setup lang="ts">
import type { WhatIf } from './useWhatIf'

defineProps<{ changes: WhatIf[] }>()
</script>

<template>
  <RouterLink
    v-for="one in changes"
    :key="one.words"
    :to="{ name: 'change', query: one.query }"
    :title="`What breaks if ${one.of} is ${one.words}`"
    :aria-label="`what if ${one.of} is ${one.words}`"
    >{{ one.words }}</RouterLink
  >
</template>
