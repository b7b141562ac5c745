<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { api, type UnreadPage } from '@/api/client'
import { count, plural } from '@/shared/format/humane'
import { useAsked } from '@/shared/composables/useAsked'

const props = defineProps<{ source: number; stamp: number }>()
const { data, error, loading } = useAsked(
  () => ['unread', props.source, props.stamp],
  (signal) => api.unread(props.source, 0, signal),
)
const more = ref<UnreadPage['items']>([])
const items = computed(() => [...(data.value?.items ?? []), ...more.value])

watch(data, () => (more.value = []))
async function loadMore() {
  more.value = [...more.value, ...(await api.unread(props.source, items.value.length)).items]
}
</script>

<template>
  <p v-if="error" class="state bad" role="alert">{{ error }}</p>
  <p v-else-if="!data && loading" class="mute">Looking…</p>
  <p v-else-if="data && !items.length" class="good">Nothing: every statement was read in full.</p>
  <template v-else-if="data">
    <ol>
      <li v-for="(one, i) in items" :key="i">
        <p class="head">
          <span class="state" :class="one.level === 'error' ? 'bad' : 'warn'">{{
            one.level === 'error' ? 'not read' : 'in part'
          }}</span>
          <span class="mono">{{ one.place }} : {{ one.line }}</span>
        </p>
        <p>{{ one.message }}</p>
        <pre v-if="one.text">{{ one.text }}</pre>
        <p v-if="one.hint" class="mute small">{{ one.hint }}</p>
      </li>
    </ol>
    <button v-if="items.length < data.total" class="link" @click="loadMore">
      show more of {{ count(data.total) }}
    </button>
    <p class="mute small">
      {{ plural(data.total, 'place') }}. Constants are taken out of the texts shown here.
    </p>
  </template>
</template>

<style scoped>
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  border-bottom: 1px solid var(--hair);
  padding: 6px 0 8px;
}
p {
  margin: 0 0 2px;
}
.head {
  display: flex;
  gap: 10px;
  font-size: 12px;
}
.good {
  color: var(--sign);
}
.small {
  font-size: 11px;
}
pre {
  margin: 3px 0;
  padding: 5px 8px;
  max-height: 130px;
  overflow: auto;
  background: var(--sheet);
  border-left: 3px solid var(--hair-strong);
  font-size: 12px;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
