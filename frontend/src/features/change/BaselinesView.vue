<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { ApiError, api, type Schemas } from '@/api/client'
import TextDifference from '@/shared/components/TextDifference.vue'
import { useAsked } from '@/shared/composables/useAsked'
import { usePages } from '@/shared/composables/usePages'
import { ago, count, exact, plural } from '@/shared/format/humane'
import ConsequenceLedger from './ConsequenceLedger.vue'
import ProtectedWarning from './ProtectedWarning.vue'

/** Baselines: kept, protected, held against one another or how it is now, and taken over into. */
const route = useRoute()
const router = useRouter()
const here = () => route.name === 'baselines'
/** A state: a baseline by its id, 0 for how it is now, or source@revision. */
const state = (one: unknown) => (typeof one === 'string' && /^\d+(@.+)?$/.test(one) ? one : '0')
const SIDES = ['from', 'to'] as const
const left = computed(() => state(route.query.from))
const right = computed(() => state(route.query.to))
const open = computed(() => (route.query.text ? String(route.query.text) : null))
function go(query: Record<string, string | undefined>) {
  if (here()) void router.replace({ query: { ...route.query, ...query } })
}
const { data: list, error, reload } = useAsked(() => (here() ? ['baselines'] : null), api.baselines)
const { data: repositories } = useAsked(() => (here() ? ['repositories'] : null), api.repositories)
/** All that can be chosen, and what is chosen though it is in no list: a tag or a commit. */
const states = computed(() => {
  const found = [
    { value: '0', label: 'as it is now' },
    ...(list.value ?? []).map((one) => ({ value: String(one.id), label: one.name })),
    ...(repositories.value ?? []).flatMap((one) =>
      one.branches.map((branch) => ({
        value: `${one.id}@${branch}`,
        label: `${one.name} at ${branch}`,
      })),
    ),
  ]
  const known = new Set(found.map((one) => one.value))
  const more = [left.value, right.value].filter((one) => !known.has(one))
  return [...found, ...more.map((value) => ({ value, label: value.replace(/^\d+@/, '') }))]
})
const revision = ref('')
const of = ref(0)
const repository = computed(
  () => repositories.value?.find((one) => one.id === of.value) ?? repositories.value?.[0] ?? null,
)
function chooseRevision(side: (typeof SIDES)[number]) {
  if (repository.value && revision.value.trim())
    go({ [side]: `${repository.value.id}@${revision.value.trim()}`, text: undefined })
}
const {
  data: comparison,
  error: notCompared,
  loading,
} = useAsked(
  () => (here() && left.value !== right.value ? ['compared', left.value, right.value] : null),
  (signal) => api.compareBaselines(left.value, right.value, signal),
)
const { data: texts } = useAsked(
  () =>
    here() && open.value && left.value !== right.value
      ? ['compared text', left.value, right.value, open.value]
      : null,
  (signal) => api.comparedText(left.value, right.value, open.value ?? '', signal),
)

const client = useQueryClient()
const refused = ref('')
const told = ref('')
async function tell(what: () => Promise<unknown>) {
  try {
    await what()
    refused.value = ''
    client.removeQueries({ queryKey: ['compared text'] })
    for (const key of ['compared', 'taken over']) void client.invalidateQueries({ queryKey: [key] })
    await reload()
  } catch (reason) {
    refused.value = reason instanceof ApiError ? reason.message : 'It could not be done.'
  }
}
const name = ref('')
const isProtected = ref(false)
const keep = () =>
  tell(async () => {
    const { id } = await api.keepBaseline({ name: name.value, protected: isProtected.value })
    name.value = ''
    isProtected.value = false
    if (left.value === '0') go({ from: String(id), to: '0' })
  })

/** What is taken over goes into the first one, so that it has what the second has. */
const chosen = ref<Set<string>>(new Set())
watch(comparison, () => (chosen.value = new Set()))
function choose(place: string) {
  const others = new Set(chosen.value)
  if (!others.delete(place)) others.add(place)
  chosen.value = others
}
const into = computed(() => list.value?.find((one) => String(one.id) === left.value) ?? null)
const asking = ref(false)
watch([left, right], () => {
  asking.value = false
  told.value = ''
})
async function takeOver(confirmed: boolean) {
  const baseline = into.value
  if (!baseline) return
  if (baseline.protected && !confirmed) {
    asking.value = true
    return
  }
  asking.value = false
  go({ text: undefined })
  const places = chosen.value.size ? [...chosen.value] : null
  await tell(async () => {
    const { taken } = await api.takeOver(baseline.id, { other: right.value, places, confirmed })
    told.value = `${plural(taken, 'text')} taken over into ${baseline.name}.`
  })
}
const { data: firstTaken } = useAsked(
  () => (here() && into.value ? ['taken over', into.value.id] : null),
  (signal) => api.takenOver(into.value?.id ?? 0, undefined, signal),
)
const {
  items: taken,
  more,
  next,
} = usePages(firstTaken, (cursor) => api.takenOver(into.value?.id ?? 0, cursor))
const MARKS: Record<string, string> = { edited: '≁', added: '+', 'taken out': '−' }
const letGo = ref<Schemas['BaselineFact'] | null>(null)
async function letItGo(id: number) {
  // What shows it goes first, so that nothing asks for it any more.
  if (left.value === String(id) || right.value === String(id))
    await router.replace({
      query: { ...route.query, from: undefined, to: undefined, text: undefined },
    })
  letGo.value = null
  await tell(() => api.letBaselineGo(id, true))
}
</script>

<template>
  <main class="baselines halves">
    <Teleport defer to="#page-title">
      <h1 class="name">
        Baselines
        <span class="mute">{{
          comparison
            ? `${comparison.left} → ${comparison.right}`
            : 'the state of all texts, under a name'
        }}</span>
      </h1>
    </Teleport>
    <section class="list" aria-label="Baselines">
      <h2>Kept</h2>
      <p v-if="error || refused" class="state bad" role="alert">{{ error || refused }}</p>
      <p v-if="list && !list.length" class="mute">
        None yet. Keep how it is now as production, and what is changed from here on can be held
        against it.
      </p>
      <div
        v-for="one in list"
        :key="one.id"
        class="one"
        :class="{ on: String(one.id) === left || String(one.id) === right }"
      >
        <b>{{ one.name }}</b>
        <span v-if="one.protected" class="state warn">▣ protected</span>
        <span class="mute" :title="exact(one.at)">as of {{ ago(one.at) }}</span>
        <small class="mute">
          {{ one.database }}, by {{ one.made_by
          }}{{
            one.last_taken
              ? `, ${plural(one.taken, 'text')} taken over, last ${ago(one.last_taken)}`
              : ''
          }}
        </small>
        <span class="acts">
          <button class="link" @click="go({ from: String(one.id), to: '0', text: undefined })">
            compare with now
          </button>
          <button
            class="link"
            @click="tell(() => api.editBaseline(one.id, { protected: !one.protected }))"
          >
            {{ one.protected ? 'protect no more' : 'protect' }}
          </button>
          <button class="link" @click="letGo = one">let it go</button>
        </span>
        <p v-if="letGo?.id === one.id" class="state warn">
          {{ one.protected ? 'It is protected. ' : '' }}What was taken over goes along.
          <button class="link" @click="letItGo(one.id)">let it go all the same</button>
          <button class="link" @click="letGo = null">keep it</button>
        </p>
      </div>
      <h2>Keep how it is now</h2>
      <form class="keep" @submit.prevent="keep">
        <input
          v-model="name"
          maxlength="200"
          placeholder="production, staging…"
          aria-label="A name for it"
        />
        <label><input v-model="isProtected" type="checkbox" /> protected</label>
        <button class="link" :disabled="!name.trim()">keep it</button>
      </form>
      <template v-if="repository">
        <h2>A revision of a repository</h2>
        <p v-if="repository.problem" class="state bad">{{ repository.problem }}</p>
        <form class="keep" @submit.prevent="chooseRevision('to')">
          <select
            v-if="(repositories?.length ?? 0) > 1"
            :value="repository.id"
            aria-label="Repository"
            @change="of = Number(($event.target as HTMLSelectElement).value)"
          >
            <option v-for="one in repositories" :key="one.id" :value="one.id">
              {{ one.name }}
            </option>
          </select>
          <input
            v-model="revision"
            class="mono"
            maxlength="200"
            :placeholder="`a branch, tag or commit of ${repository.name}`"
            aria-label="Revision"
          />
          <button
            type="button"
            class="link"
            :disabled="!revision.trim()"
            @click="chooseRevision('from')"
          >
            from
          </button>
          <button class="link" :disabled="!revision.trim()">to</button>
        </form>
      </template>
      <template v-if="into && taken.length">
        <h2>Taken over into {{ into.name }}</h2>
        <p v-for="one in taken" :key="one.id" class="taken">
          <span class="mono">{{ one.place }}</span>
          <small class="mute" :title="exact(one.taken_at)"
            >{{ one.gone ? 'taken out, ' : '' }}from {{ one.source }}, {{ one.who }},
            {{ ago(one.taken_at) }}</small
          >
        </p>
        <p v-if="next"><button class="link" @click="more">show more</button></p>
      </template>
      <p class="mute back"><RouterLink :to="{ name: 'change' }">Back to changes</RouterLink></p>
    </section>
    <section class="compared" aria-label="What differs" :aria-busy="loading">
      <h2>
        What differs
        <span class="sides">
          <label v-for="side in SIDES" :key="side">
            {{ side }}
            <select
              :value="side === 'from' ? left : right"
              :aria-label="side === 'from' ? 'From' : 'To'"
              @change="go({ [side]: ($event.target as HTMLSelectElement).value, text: undefined })"
            >
              <option v-for="one in states" :key="one.value" :value="one.value">
                {{ one.label }}
              </option>
            </select>
          </label>
          <button
            class="link"
            :disabled="left === right"
            @click="go({ from: right, to: left, text: undefined })"
          >
            the other way round
          </button>
        </span>
      </h2>
      <p v-if="notCompared" class="state bad" role="alert">{{ notCompared }}</p>
      <p v-else-if="left === right" class="mute">
        Choose two states: what the second has otherwise is shown, and what would become of
        everything if the first became it.
      </p>
      <p v-else-if="!comparison" class="mute">Reading both…</p>
      <template v-else>
        <p v-if="!comparison.total" class="good">Nothing differs.</p>
        <div v-for="one in comparison.differences" :key="one.place" class="other">
          <label>
            <input
              v-if="into"
              type="checkbox"
              :checked="chosen.has(one.place)"
              :aria-label="`Choose ${one.place}`"
              @change="choose(one.place)"
            />
            <span
              class="state"
              :class="one.what === 'taken out' ? 'bad' : one.what === 'added' ? 'good' : 'warn'"
              >{{ MARKS[one.what] }} {{ one.what }}</span
            >
          </label>
          <button
            class="link mono"
            :aria-expanded="open === one.place"
            @click="go({ text: open === one.place ? undefined : one.place })"
          >
            {{ one.place }}
          </button>
          <TextDifference
            v-if="open === one.place && texts?.place === one.place"
            class="lines"
            :lines="texts.lines"
          />
        </div>
        <p v-if="comparison.total > comparison.differences.length" class="mute">
          {{ count(comparison.differences.length) }} of {{ count(comparison.total) }} are shown: too
          many to say what would become of everything. Take some over before.
        </p>
        <div v-if="into && comparison.total" class="take">
          <button class="link" @click="takeOver(false)">
            take {{ chosen.size ? plural(chosen.size, 'text') : 'all of it' }} over into
            {{ into.name }}
          </button>
          <ProtectedWarning
            v-if="asking"
            :name="into.name"
            @confirm="takeOver(true)"
            @leave="asking = false"
          />
        </div>
        <p v-if="told" class="good" role="status">{{ told }}</p>
        <ConsequenceLedger
          v-if="comparison.outcome && comparison.total"
          :outcome="comparison.outcome"
        />
      </template>
    </section>
  </main>
</template>

<style scoped>
.name {
  font-size: 16px;
}
.name span {
  font-weight: 400;
}
.one {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto auto;
  gap: 0 12px;
  align-items: baseline;
  border-bottom: 1px solid var(--hair);
  padding: 6px 0 6px 8px;
  border-left: 3px solid transparent;
}
.one.on {
  border-left-color: var(--sign);
}
.one small,
.one .acts,
.one p {
  grid-column: 1 / -1;
}
.acts {
  display: flex;
  gap: 16px;
  font-size: 12px;
}
.taken {
  margin: 0;
  padding: 3px 0;
  border-bottom: 1px solid var(--hair);
  font-size: 12px;
}
.taken small {
  display: block;
}
.back {
  margin-top: 18px;
}
.sides {
  display: flex;
  gap: 8px;
  font-weight: 400;
}
.other {
  display: grid;
  grid-template-columns: 130px minmax(0, 1fr);
  gap: 4px 12px;
  align-items: baseline;
  border-bottom: 1px solid var(--hair);
  padding: 4px 0;
}
.other .link {
  text-align: left;
  overflow-wrap: anywhere;
}
.other .lines {
  grid-column: 1 / -1;
}
.take {
  margin: 10px 0;
}
p .link {
  margin-left: 10px;
}
</style>
