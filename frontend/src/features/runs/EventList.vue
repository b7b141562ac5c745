<script setup lang="ts">
import { reactive, ref } from 'vue'
import { api, type Schemas } from '@/api/client'
import { exact } from '@/shared/format/humane'
import { clock, size } from './words'

/** Events as they were received; the text of each is read when it is opened. */
defineProps<{ events: Schemas['EventFact'][]; named?: boolean }>()
const texts = reactive(new Map<string, string>())
const opened = reactive(new Set<string>())
const copied = ref<string | null>(null)
const refused = ref('')

async function read(event: string): Promise<string> {
  const known = texts.get(event)
  if (known !== undefined) return known
  const { raw } = await api.event(event)
  texts.set(event, raw)
  return raw
}
async function turn(event: string) {
  if (opened.delete(event)) return
  opened.add(event)
  try {
    await read(event)
    refused.value = ''
  } catch (reason) {
    refused.value = reason instanceof Error ? reason.message : 'The event could not be read.'
  }
}
function pretty(raw: string): string {
  // Numbers beyond what a browser counts exactly would be changed by reading them.
  if (/\d{16}/.test(raw)) return raw
  try {
    return JSON.stringify(JSON.parse(raw), null, 2)
  } catch {
    return raw
  }
}
async function copy(event: string) {
  await navigator.clipboard.writeText(await read(event))
  copied.value = event
}
</script>

<template>
  <div>
    <p v-if="refused" class="state bad" role="alert">{{ refused }}</p>
    <div v-for="one in events" :key="one.event" class="event">
      <div class="row">
        <button class="turn" :aria-expanded="opened.has(one.event)" @click="turn(one.event)">
          <span class="at" :title="`${exact(one.at)}, received ${exact(one.received_at)}`">{{
            clock(one.at)
          }}</span>
          <b>{{ one.type }}</b>
        </button>
        <template v-if="named">
          <RouterLink v-if="one.run" :to="{ name: 'runs', query: { run: one.run } }">{{
            one.name
          }}</RouterLink><span v-else>{{ one.name }}</span>
          <span class="mute">{{ one.namespace }}</span>
        </template>
        <span v-if="one.refused" class="state bad">✕ not taken in: {{ one.refused }}</span>
        <span class="mute size">{{ size(one.size) }}</span>
        <button class="link" @click="copy(one.event)">
          {{ copied === one.event ? 'copied' : 'copy' }}
        </button>
      </div>
      <pre v-if="opened.has(one.event)" class="mono" tabindex="0" aria-label="The event">{{
        pretty(texts.get(one.event) ?? 'Reading…')
      }}</pre>
    </div>
  </div>
</template>

<style scoped>
.row {
  display: flex;
  gap: 12px;
  align-items: baseline;
  padding: 4px 12px;
  border-bottom: 1px solid var(--hair);
}
.row:hover {
  background: var(--sign-wash);
}
.turn {
  display: flex;
  gap: 12px;
  align-items: baseline;
}
.at {
  flex: none;
  min-width: 92px;
}
b {
  flex: none;
  min-width: 84px;
  font-size: 12px;
}
.size {
  margin-left: auto;
}
pre {
  max-height: 320px;
  overflow: auto;
  background: var(--paper);
  padding: 8px 10px;
  margin: 4px 0;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  font-size: 12px;
}
</style>
