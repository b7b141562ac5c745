<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, type DatasetFacts } from '@/api/client'
import { ago, count, exact, plural } from '@/shared/format/humane'
import { useAttempt } from '@/shared/composables/useAttempt'
import ConsumerForm from './ConsumerForm.vue'
import DeclareForm from './DeclareForm.vue'
import JoinForm from './JoinForm.vue'

/** What stands behind an asset: other names, disagreements, who uses it, its history, what its system tells. */
const props = defineProps<{ facts: DatasetFacts }>()
const emit = defineEmits<{ changed: [] }>()
const { problem, attempt } = useAttempt()

const details = computed(() =>
  Object.entries(props.facts.details).map(([name, value]) => ({ name, value: words(value) })),
)
function words(value: unknown): string {
  if (Array.isArray(value)) {
    return value
      .map((one) => (typeof one === 'object' && one ? Object.values(one).join(' ') : String(one)))
      .join('\n')
  }
  if (typeof value === 'object' && value) {
    return Object.entries(value)
      .map(([key, one]) => `${key}: ${Array.isArray(one) ? one.join(', ') : String(one)}`)
      .join('\n')
  }
  return String(value)
}
/** Columns of which sources give different types, and by source those that only others have. */
const differing = computed(() =>
  props.facts.conflicts.filter(
    (one) => new Set(one.claims.filter((c) => c.has && c.type).map((c) => c.type)).size > 1,
  ),
)
const lacking = computed(() => {
  const found = new Map<string, string[]>()
  for (const one of props.facts.conflicts) {
    for (const claim of one.claims.filter((c) => !c.has)) {
      found.set(claim.source, [...(found.get(claim.source) ?? []), one.column])
    }
  }
  return [...found]
})
function done() {
  adding.value = null
  emit('changed')
}
async function part(alias: number) {
  if (await attempt(() => api.part(alias))) emit('changed')
}

/** What a person adds: that this is another dataset, that it feeds one, or that somebody reads it. */
const adding = ref<'same' | 'feeds' | 'read' | null>(null)
</script>

<template>
  <div class="standing">
    <p v-if="problem" class="state bad" role="alert">{{ problem }}</p>
    <section v-if="facts.known_as.length">
      <h4>Also known as</h4>
      <p v-for="alias in facts.known_as" :key="alias.id">
        <span class="mono">{{ alias.name }}</span>
        <small :title="exact(alias.since)">
          {{ alias.namespace }}, said by {{ alias.who }} {{ ago(alias.since) }}
        </small>
        <button class="link" @click="part(alias.id)">these are two</button>
      </p>
    </section>
    <section v-if="facts.conflicts.length">
      <h4 class="state warn">Sources disagree</h4>
      <p v-for="one in differing" :key="one.column">
        <span class="mono">{{ one.column }}</span>
        <small
          v-for="(claim, i) in one.claims.filter((c) => c.has)"
          :key="i"
          :class="{ holds: i === 0 }"
        >
          {{ claim.type ?? 'no type' }} says {{ claim.source
          }}{{ i === 0 ? (claim.itself ? ', the system itself: this holds' : ': this holds') : '' }}
        </small>
      </p>
      <p v-for="[source, columns] in lacking" :key="source">
        {{ source }} knows nothing of
        <small class="mono">{{ columns.join(', ') }}</small>
      </p>
    </section>
    <section v-if="facts.uses.length">
      <h4>Used in the last 30 days</h4>
      <p v-for="(use, i) in facts.uses" :key="i" class="use">
        <span>{{ use.person }}</span>
        <small
          :title="`last on ${use.last}, ${plural(use.queries, 'different query', 'different queries')}`"
        >
          {{ use.writes ? 'wrote' : 'read' }} {{ plural(use.runs, 'time') }}
          {{ use.application ? `with ${use.application}` : '' }}
        </small>
      </p>
    </section>
    <section v-if="facts.points.length">
      <h4>Commits that changed what writes it</h4>
      <p v-for="point in facts.points" :key="point.revision + point.path">
        <span>{{ point.summary }}</span>
        <small :title="`${exact(point.at)}, ${point.path}`">
          {{ point.author }}, {{ ago(point.at) }}, {{ point.revision.slice(0, 8) }}
        </small>
      </p>
    </section>
    <section v-if="details.length || facts.bytes !== null">
      <h4>From its system</h4>
      <p v-if="facts.bytes !== null">
        size <small>about {{ count(Math.round(facts.bytes / 1024)) }} KiB</small>
      </p>
      <p v-for="one in details" :key="one.name">
        {{ one.name }} <small class="multi">{{ one.value }}</small>
      </p>
    </section>
    <section v-if="facts.kind !== 'report'">
      <p v-if="!adding" class="acts">
        <button class="link" @click="adding = 'same'">This is the same as another dataset…</button>
        <button class="link" @click="adding = 'feeds'">Declare what it feeds…</button>
        <button class="link" @click="adding = 'read'">Declare who reads it…</button>
      </p>
      <JoinForm v-else-if="adding === 'same'" :facts="facts" @done="done" @leave="adding = null" />
      <DeclareForm
        v-else-if="adding === 'feeds'"
        :facts="facts"
        @done="done"
        @leave="adding = null"
      />
      <ConsumerForm v-else :facts="facts" @done="done" @leave="adding = null" />
    </section>
    <p
      v-if="!facts.known_as.length && !facts.uses.length && !facts.points.length && !details.length"
      class="mute"
    >
      Nothing more is known: no other names, no uses, no commits.
    </p>
  </div>
</template>

<style scoped>
.standing {
  flex: 1;
  overflow: auto;
  border-top: 1px solid var(--ink);
  font-size: 12px;
  padding-bottom: 10px;
}
h4 {
  font-size: 11px;
  color: var(--mute);
  margin: 9px 0 3px;
}
h4.state {
  color: var(--amber);
}
p {
  margin: 0;
  padding: 2px 0;
  border-bottom: 1px solid var(--hair);
  overflow-wrap: anywhere;
}
small {
  display: block;
  color: var(--mute);
  font-size: 11px;
}
small.holds {
  color: var(--ink);
}
.acts {
  display: grid;
  margin-top: 10px;
}
.multi {
  white-space: pre-line;
}
</style>
