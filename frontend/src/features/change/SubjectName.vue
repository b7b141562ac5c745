<script setup lang="ts">
/** What something is said of: a dataset leads to its lineage, a text has only its place. */
defineProps<{ subject: string; dataset: number | null }>()
</script>

<template>
  <RouterLink
    v-if="dataset !== null"
    :to="{ name: 'lineage', params: { dataset: String(dataset) } }"
    >{{ subject }}</RouterLink><slot v-else
    ><b>{{ subject }}</b></slot
  >
</template>
