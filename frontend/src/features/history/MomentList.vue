<script setup lang="ts">
import type { Schemas } from '@/api/client'
import { stateOf } from '@/features/runs/words'
import { exact } from '@/shared/format/humane'
import { momentName } from './moments'

/** What has happened, the latest first; each moment can be opened, and compared with what was before it. */
defineProps<{ moments: Schemas['Moment'][]; shown?: string }>()
const emit = defineEmits<{ open: [at: string]; compare: [at: string] }>()
const changes = (moment: Schemas['Moment']) =>
  moment.happenings.some((one) => !['run', 'version'].includes(one.kind))
</script>

<template>
  <ol>
    <li v-for="moment in moments" :key="moment.at" :class="{ on: moment.at === shown }">
      <button
        class="at"
        :title="`${exact(moment.at)}: show the lineage as of then`"
        @click="emit('open', moment.at)"
      >
        {{ momentName(moment.at) }}
      </button>
      <ul>
        <li v-for="(one, n) in moment.happenings" :key="n" :class="one.kind">
          <RouterLink v-if="one.run" :to="{ name: 'runs', query: { run: one.run } }"
            ><span v-if="one.state" class="state" :class="stateOf(one.state).tone">{{
              stateOf(one.state).mark
            }}</span>
            {{ one.words }}</RouterLink
          ><template v-else>{{ one.words }}</template>
        </li>
      </ul>
      <button v-if="changes(moment)" class="link" @click="emit('compare', moment.at)">
        what it changed
      </button>
    </li>
  </ol>
</template>

<style scoped>
ol,
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
ol > li {
  display: grid;
  grid-template-columns: 108px minmax(0, 1fr) max-content;
  gap: 14px;
  align-items: baseline;
  padding: 4px 0;
  border-bottom: 1px solid var(--hair);
}
ol > li.on {
  background: var(--sign-wash);
}
.at {
  font-weight: 600;
}
.at:hover {
  color: var(--sign);
}
ul li {
  overflow-wrap: anywhere;
}
.run a {
  color: var(--mute);
}
</style>
