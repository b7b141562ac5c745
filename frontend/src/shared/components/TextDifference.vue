<script setup lang="ts">
import type { Schemas } from '@/api/client'

/** Two texts line by line: what is only in one of them is marked by a sign as well as by colour. */
defineProps<{ lines: Schemas['TextLine'][] }>()
const SAID: Record<string, string> = { '-': 'before', '+': 'after' }
</script>

<template>
  <div class="lines mono" tabindex="0" aria-label="The two texts, line by line">
    <div
      v-for="(line, n) in lines"
      :key="n"
      :class="{ gone: line.mark === '-', new: line.mark === '+', gap: line.mark === '…' }"
    >
      <i>{{ line.before ?? '' }}</i><i>{{ line.after ?? '' }}</i
      ><b :title="SAID[line.mark]">{{ line.mark }}</b
      ><span>{{ line.text }}</span>
    </div>
  </div>
</template>

<style scoped>
.lines {
  overflow: auto;
  max-height: 340px;
  font-size: 12px;
  line-height: 19px;
  white-space: pre;
  background: var(--sheet);
  border: 1px solid var(--hair);
  padding: 4px 0;
}
.lines > div {
  display: flex;
  min-width: max-content;
}
i {
  flex: none;
  width: 34px;
  padding-right: 6px;
  text-align: right;
  font-style: normal;
  color: var(--mute);
  user-select: none;
}
b {
  flex: none;
  width: 20px;
  text-align: center;
}
.gone {
  background: color-mix(in srgb, var(--brick) 12%, transparent);
}
.gone b {
  color: var(--brick);
}
.new {
  background: var(--sign-wash);
}
.new b {
  color: var(--sign);
}
.gap {
  color: var(--mute);
}
</style>
