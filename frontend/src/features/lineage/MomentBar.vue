<script setup lang="ts">
import { momentName } from '@/features/history/moments'
import { exact } from '@/shared/format/humane'
import type { LineageState } from './useLineage'

/** The moments that are kept open, and how two of them are held against each other. */
defineProps<{ state: LineageState }>()
</script>

<template>
  <div class="moments" role="group" aria-label="Moments that are kept open">
    <span class="mute">as of</span>
    <button
      :aria-pressed="!state.at.value"
      :class="{ on: !state.at.value }"
      @click="state.goTo(null)"
    >
      now
    </button>
    <span
      v-for="time in state.moments.value"
      :key="time"
      class="moment"
      :class="{ on: time === state.at.value }"
    >
      <button
        :aria-pressed="time === state.at.value"
        :title="exact(time)"
        @click="state.goTo(time)"
      >
        {{ momentName(time) }}
      </button>
      <button
        class="x"
        :aria-label="`Close the moment ${momentName(time)}`"
        @click="state.closeMoment(time)"
      >
        ×
      </button>
    </span>
    <span class="against">
      <template v-if="state.against.value">
        <span :title="exact(state.against.value)"
          >against {{ momentName(state.against.value) }}</span
        >
        <button
          v-for="[how, words] in [
            ['difference', 'difference'],
            ['both', 'side by side'],
          ] as const"
          :key="how"
          :aria-pressed="state.together.value === how"
          :class="{ on: state.together.value === how }"
          @click="state.setTogether(how)"
        >
          {{ words }}
        </button>
        <button @click="state.compare(null)">leave</button>
      </template>
      <template v-else>
        <template v-for="time in [...state.moments.value, null]" :key="time ?? 'now'">
          <button
            v-if="time !== (state.at.value ?? null)"
            :title="`What is another ${state.at.value ? 'then' : 'now'}`"
            @click="state.compareWith(time)"
          >
            compare with {{ momentName(time) }}
          </button>
        </template>
      </template>
    </span>
  </div>
</template>

<style scoped>
.moments {
  display: flex;
  gap: 16px;
  align-items: baseline;
  padding: 5px 20px;
  border-bottom: 1px solid var(--hair);
  font-size: 12px;
  overflow-x: auto;
  white-space: nowrap;
  scrollbar-width: thin;
}
.on {
  font-weight: 600;
  color: var(--ink);
  box-shadow: 0 2px 0 var(--amber);
}
button {
  color: var(--mute);
}
.on > button,
button.on {
  color: var(--ink);
  font-weight: 600;
}
button:hover {
  color: var(--sign);
}
.x {
  padding-left: 4px;
}
.against {
  margin-left: auto;
  display: flex;
  gap: 16px;
}
</style>
