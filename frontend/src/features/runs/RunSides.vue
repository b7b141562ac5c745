<script setup lang="ts">
import type { Schemas } from '@/api/client'
import { count, plural } from '@/shared/format/humane'
import UsualMark from './UsualMark.vue'
import { clock, lastParts, size, stateOf } from './words'

/** What a run read and wrote: how much, beside what is usual; who had written what it read; what was checked. */
defineProps<{ sides: Schemas['SideFact'][] }>()
defineEmits<{ open: [run: string] }>()
function amount(one: Schemas['SideFact']): string {
  if (one.rows !== null) return `${count(one.rows)} rows`
  return one.side === 'out' ? 'rows not told' : ''
}
function number(value: number): string {
  return value.toLocaleString('en', { maximumFractionDigits: 3 })
}
</script>

<template>
  <table>
    <tr v-for="one in sides" :key="`${one.side} ${one.namespace} ${one.name}`">
      <td :title="`${one.namespace} ${one.name}`">
        <template v-if="one.side === 'out'">→ </template>
        <RouterLink
          v-if="one.dataset !== null"
          :to="{ name: 'lineage', params: { dataset: String(one.dataset) } }"
          >{{ lastParts(one.name) }}</RouterLink
        >
        <template v-else>{{ lastParts(one.name) }}</template>
        <small v-if="one.pattern.length" class="mute"> by {{ one.pattern.join(', ') }}</small>
        <small v-if="one.subset" class="mute"> where {{ one.subset }}</small>
      </td>
      <td>
        <UsualMark :value="one.rows" :usual="one.usual_rows" :say="(n) => count(Math.round(n))">
          {{ amount(one) }}
        </UsualMark>
      </td>
      <td>
        <span v-if="one.side === 'out' && one.bytes !== null" class="mute">{{
          size(one.bytes)
        }}</span>
        <button v-if="one.writer" class="link" @click="$emit('open', one.writer)">
          written {{ clock(one.written_at ?? '') }}
        </button>
        <span v-if="one.writer_state && one.writer_state !== 'done'" class="state bad">
          by a run that {{ stateOf(one.writer_state).word }}
        </span>
      </td>
    </tr>
  </table>
  <template v-for="one in sides" :key="`${one.side} ${one.name}`">
    <p v-for="[check, column, held] in one.checks" :key="`${check} ${column}`">
      <span class="state" :class="held ? 'good' : 'bad'">{{ held ? '✓' : '✕' }}</span>
      {{ check }} {{ column }} <span class="mute">of {{ lastParts(one.name) }}</span>
    </p>
    <details v-if="one.measured">
      <summary>
        {{ plural(one.measured, 'column') }} of {{ lastParts(one.name) }} measured
        <span v-if="one.measured > Object.keys(one.measures).length" class="mute"
          >(the first {{ Object.keys(one.measures).length }})</span
        >
      </summary>
      <p v-for="(numbers, column) in one.measures" :key="column">
        <span class="mono">{{ column }}</span>
        <span v-for="(value, name) in numbers" :key="name" class="measure"
          ><span class="mute">{{ name }}</span> {{ number(value) }}</span
        >
      </p>
    </details>
  </template>
</template>

<style scoped>
table {
  border-collapse: collapse;
  width: 100%;
}
td {
  padding: 1px 12px 1px 0;
  vertical-align: top;
  overflow-wrap: anywhere;
}
p {
  margin: 0 0 2px;
}
.measure {
  display: inline-block;
  margin-left: 12px;
}
</style>
