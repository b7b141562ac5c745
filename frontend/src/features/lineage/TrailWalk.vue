<script setup lang="ts">
import { computed, nextTick, ref, useTemplateRef, watch } from 'vue'
import { standing, useStates } from '@/features/runs/useStates'
import { count } from '@/shared/format/humane'
import type { LineageState } from './useLineage'
import { lastPart, numbered, owner, walkRows, walkText, type WalkRow } from './walk'

const props = defineProps<{ state: LineageState }>()
const list = useTemplateRef<HTMLElement>('list')
const steps = computed(() => props.state.map.data.value?.steps ?? [])
const story = computed(() => props.state.story.data.value)
const shown = computed(() => {
  const at = steps.value.findIndex((step) => step.links.includes(props.state.shownLink.value ?? -1))
  return at < 0 ? null : at
})
const rows = computed(() => walkRows(steps.value, story.value, shown.value))
const total = computed(() => props.state.map.data.value?.steps_total ?? 0)
const states = useStates()
const copied = ref('')

function isOn(row: WalkRow): boolean {
  return shown.value !== null && row.steps.includes(shown.value)
}
function step(row: WalkRow) {
  return steps.value[row.steps.at(-1) ?? 0]
}
/** Through what values pass unchanged. */
function through(row: WalkRow): string {
  return row.steps.map((n) => owner(steps.value[n]?.target ?? '')).join(', ')
}
function trouble(row: WalkRow) {
  const fact = states.value.get(step(row)?.dataset ?? -1)
  return fact && fact.state !== 'fresh' ? standing(fact) : null
}

async function copy(form: 'text' | 'markdown') {
  const fields = props.state.fields.value
  const columns = props.state.facts.data.value?.columns ?? []
  const names = columns.filter((one) => fields.includes(one.id)).map((one) => one.name)
  const title = `${props.state.facts.data.value?.title ?? ''}: ${names.join(', ')}`
  try {
    await navigator.clipboard.writeText(walkText(title, steps.value, story.value, form))
    copied.value = `copied as ${form === 'text' ? 'text' : 'Markdown'}`
  } catch {
    copied.value = 'the browser does not allow copying'
  }
  window.setTimeout(() => (copied.value = ''), 3000)
}

watch(
  [shown, rows],
  async () => {
    await nextTick()
    list.value?.querySelector('.on')?.scrollIntoView({ block: 'nearest' })
  },
  { immediate: true },
)
</script>

<template>
  <div class="walk">
    <p class="story" aria-live="polite" tabindex="0">
      <span v-if="story">{{ story.sentence }}</span>
      <span v-else-if="state.story.error.value" class="mute">{{ state.story.error.value }}</span>
      <span v-else class="mute">Putting it into words…</span>
    </p>
    <ol ref="list">
      <li v-for="row in rows" :key="row.steps[0]" :class="{ on: isOn(row) }">
        <button
          :aria-current="isOn(row) ? 'step' : undefined"
          :data-step="step(row)?.link"
          :title="`${step(row)?.target}\n${step(row)?.place} : ${step(row)?.line}`"
          @click="state.show(step(row)?.link ?? null)"
        >
          <span class="n">{{ numbered(row) }}</span>
          <span class="fork" aria-hidden="true">{{ row.fork }}</span>
          <span
            class="name"
            :class="{ mono: row.words }"
            :style="{ paddingLeft: `${Math.min(row.level, 6) * 9}px` }"
            >{{ row.words ? lastPart(step(row)?.target ?? '') : 'unchanged' }}</span
          >
          <span v-if="row.words" class="what">
            {{ row.words }}
            <i class="mute">{{ owner(step(row)?.target ?? '') }}</i>
          </span>
          <span v-else class="what mute">
            {{ lastPart(step(row)?.target ?? '') }} through {{ through(row) }}
          </span>
          <span
            v-if="trouble(row)"
            class="state"
            :class="trouble(row)?.tone"
            :title="trouble(row)?.told"
            >{{ trouble(row)?.mark }} {{ trouble(row)?.word }}</span
          >
        </button>
      </li>
      <li v-if="total > steps.length" class="mute rest">
        {{ count(total - steps.length) }} more steps are not listed
      </li>
    </ol>
    <p class="acts">
      <span class="mute">n and p walk it</span>
      <span class="mute" role="status">{{ copied }}</span>
      <button class="link" @click="copy('text')">copy as text</button>
      <button class="link" @click="copy('markdown')">as Markdown</button>
    </p>
  </div>
</template>

<style scoped>
.walk {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr) auto;
  min-height: 0;
  border-right: 1px solid var(--hair);
  font-size: 12px;
}
.story {
  margin: 0;
  padding: 7px 16px 6px 20px;
  font-weight: 600;
  line-height: 1.35;
  max-height: 72px;
  overflow: auto;
}
.story .mute {
  font-weight: 400;
}
ol {
  margin: 0;
  padding: 0;
  list-style: none;
  overflow: auto;
}
li {
  border-left: 3px solid transparent;
}
li.on {
  border-left-color: var(--sign);
  background: var(--sign-wash);
}
li button {
  display: grid;
  grid-template-columns: 34px 12px minmax(60px, 112px) minmax(0, 1fr) auto;
  gap: 4px;
  width: 100%;
  padding: 3px 12px 3px 17px;
  text-align: left;
  line-height: 17px;
}
li button:hover .name {
  color: var(--sign);
}
.n,
.fork {
  color: var(--mute);
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.what {
  overflow-wrap: anywhere;
}
.what i {
  font-style: normal;
  margin-left: 4px;
}
.rest {
  padding: 4px 20px;
}
.acts {
  display: flex;
  gap: 14px;
  margin: 0;
  padding: 3px 16px 4px 20px;
  font-size: 11px;
  border-top: 1px solid var(--hair);
}
.acts .link:first-of-type {
  margin-left: auto;
}
</style>
