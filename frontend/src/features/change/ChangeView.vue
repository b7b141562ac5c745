<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useQueryClient } from '@tanstack/vue-query'
import { ApiError, api, type Proposal, type Schemas } from '@/api/client'
import PictureLinks from '@/shared/components/PictureLinks.vue'
import { useAsked } from '@/shared/composables/useAsked'
import { plural } from '@/shared/format/humane'
import ConsequenceLedger from './ConsequenceLedger.vue'
import DeliveredNames from './DeliveredNames.vue'
import EditedTexts from './EditedTexts.vue'
import KeptChanges from './KeptChanges.vue'
import KeptHead from './KeptHead.vue'
import PlanOfChange from './PlanOfChange.vue'
import StoppedTexts from './StoppedTexts.vue'
import TextEditor from './TextEditor.vue'
import { asText } from './consequences'
import { useProposal } from './useProposal'

const { here, sql, database, stopped, late, delivers, some, edits, open, kept, go, edit, take } =
  useProposal()
const written = ref(sql.value)
const settled = refDebounced(written, 350)

// What is written is in the address, so that it can be sent to somebody; what comes by an address is written.
watch(settled, (now) => {
  if (here() && now !== sql.value) go({ sql: now.trim() ? now : undefined })
})
watch(sql, (now) => {
  if (here() && now !== written.value.trim()) written.value = now
})
const calm = refDebounced(edits, 250)
const proposal = computed<Proposal>(() => ({
  sql: settled.value,
  stopped: stopped.value,
  late: late.value,
  delivers: delivers.value,
  edits: calm.value ?? {},
  database: database.value,
}))
const says = (one: Proposal) =>
  Boolean(
    one.sql.trim() ||
    one.stopped.length ||
    one.late.length ||
    one.delivers.length ||
    Object.keys(one.edits).length,
  )
const asked = computed(() => says({ ...proposal.value, sql: written.value, edits: edits.value }))

const { data: databases } = useAsked(
  () => (here() ? ['change databases'] : null),
  api.changeDatabases,
)
const {
  data: outcome,
  error,
  loading,
} = useAsked(
  () => (here() && says(proposal.value) ? ['change', proposal.value] : null),
  (signal) => api.simulate(proposal.value, signal),
)
/** What fails in the text that is open, at its own characters. */
const failures = computed(() =>
  (outcome.value?.consequences ?? [])
    .filter((one) => one.kind === 'breaks' && one.subject === open.value && one.failure)
    .map((one) => {
      const failure = one.failure as Schemas['FailureFact']
      const text = edits.value[one.subject] ?? ''
      const before = text
        .split('\n')
        .slice(0, failure.first_line - 1)
        .join('\n').length
      const shift = failure.first_line > 1 ? before + 1 : 0
      return {
        start: failure.start + shift,
        end: failure.end + shift,
        message: failure.message,
      }
    }),
)
const title = ref('')
const cannot = ref('')
const client = useQueryClient()
async function keep() {
  try {
    const { id } = await api.keepChange({
      ...proposal.value,
      edits: edits.value,
      name: title.value,
    })
    void client.invalidateQueries({ queryKey: ['kept changes'] })
    title.value = ''
    cannot.value = ''
    go({ kept: String(id) })
  } catch (reason) {
    cannot.value = reason instanceof ApiError ? reason.message : 'It could not be kept.'
  }
}
const FORMS = [
  'alter table … drop column …',
  'alter table … rename column … to …',
  'alter table … alter column … type …',
  'drop view … cascade',
  'create or replace view … as select …',
]

const copied = ref(false)
watch(outcome, () => (copied.value = false))
async function copy() {
  if (!outcome.value) return
  await navigator.clipboard.writeText(asText(outcome.value))
  copied.value = true
}
function titleOf(one: Schemas['ChangeOutcome']): string {
  return (
    one.change ||
    [...one.edited, ...one.added, ...one.stopped, ...one.late, ...one.delivers].join(', ')
  )
}
const ledger = ref<HTMLElement | null>(null)
</script>

<template>
  <main class="change halves" :class="{ editing: open }">
    <Teleport defer to="#page-title">
      <h1 class="name">
        Change
        <span class="mute">{{ outcome ? `in ${outcome.database}` : 'what breaks if…' }}</span>
      </h1>
    </Teleport>
    <section class="proposal" aria-label="What would change">
      <h2>
        What would change
        <select
          v-if="(databases?.length ?? 0) > 1"
          :value="database ?? databases?.[0]?.database"
          aria-label="The database that is changed"
          @change="go({ in: ($event.target as HTMLSelectElement).value })"
        >
          <option v-for="one in databases" :key="one.system + one.database" :value="one.database">
            {{ one.database }}
          </option>
        </select>
      </h2>
      <textarea
        v-model="written"
        class="mono"
        :rows="open ? 3 : 6"
        spellcheck="false"
        aria-label="The change as SQL"
        placeholder="alter table … drop column …"
      />
      <p class="mute small">
        DDL, or an edited view. Nothing is changed by asking. Relations of other databases on the
        same server have theirs in front.
      </p>
      <h2>What would be written otherwise</h2>
      <EditedTexts
        :edits="edits"
        :open="open"
        :database="database"
        @open="(place) => go({ edit: place ?? undefined })"
        @take-back="(place) => edit(place, null)"
      />
      <TextEditor
        v-if="open"
        :key="open"
        :place="open"
        :edited="edits[open]"
        :database="database"
        :failures="failures"
        @edit="(text) => open && edit(open, text)"
      />
      <h2>What would not run, or late</h2>
      <StoppedTexts
        :stopped="stopped"
        :late="late"
        :database="database"
        @change="(places, others) => go({ stop: some(places), late: some(others) })"
      />
      <h2>What would be delivered otherwise</h2>
      <DeliveredNames
        :names="delivers"
        :database="database"
        @change="(names) => go({ delivers: some(names) })"
      />
      <template v-if="!asked">
        <h2>What can be asked</h2>
        <p v-for="one in FORMS" :key="one" class="mono small">{{ one }}</p>
        <p class="mute small">
          On the lineage, “what if” of a dataset begins with it, or with its chosen column.
        </p>
      </template>
      <p v-if="databases && !databases.length" class="state warn">
        No texts are known that are run over a database yet: load a folder of SQL, or scan a
        database.
      </p>
      <template v-if="outcome?.not_run.length">
        <h2>Not looked at</h2>
        <p class="small">
          {{ plural(outcome.not_run.length, 'text') }} that are templates:
          <span class="mono">{{ outcome.not_run.slice(0, 5).join(', ') }}</span>
        </p>
      </template>
      <template v-if="outcome?.failing.length">
        <h2>Failing anyhow</h2>
        <p class="small mono">{{ outcome.failing.slice(0, 10).join(', ') }}</p>
      </template>
    </section>
    <section ref="ledger" class="ledger" aria-label="Consequences" :aria-busy="loading">
      <KeptHead
        v-if="kept"
        :kept="kept"
        :now="{ ...proposal, sql: written, edits }"
        @take="take"
        @gone="go({ kept: undefined })"
      />
      <p v-if="error" class="state bad" role="alert">{{ error }}</p>
      <template v-else-if="!asked">
        <p class="mute">
          Write a change, and read here what would happen: everything that reads it is read again,
          as the database would run it.
        </p>
        <h2>Kept changes</h2>
        <KeptChanges />
        <h2>Baselines</h2>
        <p class="mute">
          The state of all texts under a name, such as production.
          <RouterLink :to="{ name: 'baselines' }">Compare baselines</RouterLink>
        </p>
      </template>
      <p v-else-if="!outcome" class="mute">Reading again what it touches…</p>
      <template v-else>
        <ConsequenceLedger :outcome="outcome" :proposal="proposal">
          <PlanOfChange
            v-if="outcome.change.trim()"
            :sql="outcome.change"
            :database="database"
            @open="(place) => go({ edit: place })"
          />
        </ConsequenceLedger>
        <p class="acts">
          <button class="link" @click="copy">
            {{ copied ? 'copied' : 'copy for the review' }}
          </button>
          <PictureLinks :of="() => ledger" :name="`Change: ${titleOf(outcome).slice(0, 60)}`" />
        </p>
        <form class="keep" @submit.prevent="keep">
          <input v-model="title" maxlength="200" placeholder="a name…" aria-label="A name for it" />
          <button class="link" :disabled="!title.trim()">
            {{ kept ? 'keep as another one' : 'keep this change' }}
          </button>
        </form>
        <p v-if="cannot" class="state bad" role="alert">{{ cannot }}</p>
      </template>
    </section>
  </main>
</template>

<style scoped>
@media (width > 1000px) {
  .change.editing {
    grid-template-columns: minmax(0, 1.15fr) minmax(0, 1fr);
  }
}
.keep {
  margin-top: 8px;
}
.name {
  font-size: 16px;
}
.name span {
  font-weight: 400;
}
textarea {
  width: 100%;
  resize: vertical;
  border: 1px solid var(--hair);
  border-radius: 3px;
  background: var(--sheet);
  padding: 8px 10px;
  font: 13px/1.6 var(--mono);
}
.small {
  font-size: 12px;
}
.acts {
  display: flex;
  gap: 20px;
  margin-top: 14px;
}
</style>
