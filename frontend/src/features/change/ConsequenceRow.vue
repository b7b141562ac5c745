<script setup lang="ts">
import { computed, ref } from 'vue'
import SubjectName from './SubjectName.vue'
import { KINDS, pieces, type Consequence } from './consequences'

/** One consequence; what breaks opens in place, with the characters that do so. */
const props = defineProps<{ row: Consequence }>()
const open = ref(props.row.kind === 'breaks')
const shape = computed(
  () => KINDS[props.row.kind] ?? { mark: '?', label: props.row.kind, tone: 'mute' },
)
const code = computed(() => (props.row.failure ? pieces(props.row.failure) : null))
</script>

<template>
  <div class="one" :class="{ open: open && code }">
    <div class="line">
      <button
        class="state"
        :class="shape.tone"
        :disabled="!code"
        :aria-expanded="code ? open : undefined"
        @click="open = !open"
      >
        {{ shape.mark }} {{ shape.label }}
      </button>
      <span class="subject">
        <SubjectName :subject="row.subject" :dataset="row.dataset" />
        <small class="mute">{{ row.what }}</small>
      </span>
      <span class="reason"
        ><b v-if="row.columns.length" class="mono">{{ row.columns.join(', ') }}</b>
        {{ row.reason }}</span
      >
      <span class="mute">{{ row.owner ?? '' }}</span>
    </div>
    <pre
      v-if="open && code"
      class="mono"
      tabindex="0"
      :aria-label="`The code of ${row.subject}`"
    ><template v-if="row.failure && row.failure.end > row.failure.start">{{ code.before }}<mark>{{ code.marked }}</mark>{{ code.after }}</template><template v-else>{{ code.before + code.after }}</template></pre>
  </div>
</template>

<style scoped>
.one {
  border-bottom: 1px solid var(--hair);
  padding: 5px 0;
}
.one.open {
  background: var(--sheet);
  border-top: 1px solid var(--ink);
  border-bottom-color: var(--ink);
}
.line {
  display: grid;
  grid-template-columns: 104px minmax(0, 1fr) minmax(0, 1.3fr) 96px;
  gap: 12px;
  align-items: baseline;
}
.subject,
.reason {
  overflow-wrap: anywhere;
}
.subject small {
  display: block;
}
button:disabled {
  cursor: default;
}
pre {
  margin: 4px 0 2px 116px;
  padding: 2px 0;
  font-size: 12px;
  line-height: 18px;
  overflow: auto;
  max-height: 220px;
}
mark {
  color: inherit;
  background: color-mix(in srgb, var(--brick) 16%, transparent);
  border-bottom: 2px solid var(--brick);
}
</style>
