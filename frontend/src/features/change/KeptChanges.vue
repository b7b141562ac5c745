<script setup lang="ts">
import { api } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import { usePages } from '@/shared/composables/usePages'
import { ago, exact, plural } from '@/shared/format/humane'

/** The changes that are kept, the latest first. */
const { data, error } = useAsked(['kept changes'], (signal) => api.keptChanges(undefined, signal))
const { items, more, next, refused } = usePages(data, (cursor) => api.keptChanges(cursor))
</script>

<template>
  <p v-if="error || refused" class="state bad" role="alert">{{ error || refused }}</p>
  <p v-else-if="data && !items.length" class="mute">
    None yet: a change that is asked about can be kept.
  </p>
  <p v-for="one in items" :key="one.id" class="one">
    <RouterLink :to="{ name: 'change', query: { kept: String(one.id) } }">{{
      one.name
    }}</RouterLink>
    <span>{{ one.state }}</span>
    <span class="mute">{{
      one.refused ? 'refused' : plural(one.consequences, 'consequence')
    }}</span>
    <span class="mute" :title="exact(one.kept_at)">{{ one.who }}, {{ ago(one.kept_at) }}</span>
  </p>
  <p v-if="next"><button class="link" @click="more">show more</button></p>
</template>

<style scoped>
.one {
  display: grid;
  grid-template-columns: minmax(0, 1.4fr) 80px 130px minmax(0, 1fr);
  gap: 14px;
  padding: 3px 0;
  margin: 0;
  border-bottom: 1px solid var(--hair);
}
</style>
