<script setup lang="ts">
import { computed, nextTick, ref, useTemplateRef, watch } from 'vue'
import { count, ago, exact, plural } from '@/shared/format/humane'
import { markedLines } from './code'
import DependsList from './DependsList.vue'
import { jobName } from './naming'
import PastList from './PastList.vue'
import TrailWalk from './TrailWalk.vue'
import type { LineageState } from './useLineage'

const props = defineProps<{ state: LineageState }>()
const code = useTemplateRef<HTMLElement>('code')
const stepsList = useTemplateRef<HTMLElement>('stepsList')

const evidence = computed(() => props.state.evidence.data.value)
const steps = computed(() => props.state.map.data.value?.steps ?? [])
function counted(listed: number): string {
  const total = props.state.map.data.value?.steps_total ?? listed
  return listed < total ? `${count(listed)} of ${plural(total, 'step')}` : plural(listed, 'step')
}
const depends = computed(() => props.state.depends.data.value)
const lines = computed(() => (evidence.value ? markedLines(evidence.value) : []))
const tall = ref(false)

/** Without a trail: the other links into the same target, to walk through them. */
const beside = computed(() => {
  const map = props.state.map.data.value
  const shown = map?.crossings.find((link) => link.id === props.state.shownLink.value)
  if (!map || !shown) return []
  const names = new Map<number, string>()
  for (const lane of map.lanes) {
    for (const dataset of lane.datasets) {
      for (const field of dataset.fields) names.set(field.id, `${dataset.title}.${field.name}`)
    }
  }
  return map.crossings
    .filter((link) => link.target_dataset === shown.target_dataset)
    .map((link) => ({
      link: link.id,
      source: names.get(link.source_field) ?? '',
      target:
        link.target_field === null ? 'which rows there are' : (names.get(link.target_field) ?? ''),
      note: link.label,
    }))
})

/** How the value is made, step by step through the intermediates of the code; what stays the same is not a step. */
const way = computed(() =>
  (evidence.value?.way ?? [])
    .filter((step) => step.kind !== 'same')
    .map((step) => `${step.kind} ${step.name}`),
)
const wayInFull = computed(() =>
  (evidence.value?.way ?? [])
    .map(
      (step) =>
        `${step.kind}: ${[step.table, step.name].filter(Boolean).join('.')} = ${step.expression}`,
    )
    .join('\n'),
)

const firstMark = computed(() =>
  lines.value.findIndex((line) => line.pieces.some((piece) => piece.kinds.includes('link'))),
)

watch(
  [evidence, () => props.state.dock.value],
  async () => {
    await nextTick()
    const row = code.value?.querySelectorAll<HTMLElement>('.line')[Math.max(0, firstMark.value)]
    if (row && code.value) code.value.scrollTop = Math.max(0, row.offsetTop - 58)
    stepsList.value?.querySelector('.on')?.scrollIntoView({ block: 'nearest' })
  },
  { immediate: true, flush: 'post' },
)

/** A query made from a dataset and expressions does not stand in the file as it is shown. */
const composed = computed(() => evidence.value?.definition.kind === 'element_columns')

/** Where the code stands, who runs it, and since when it is so. */
const origin = computed(() => {
  const shown = evidence.value
  if (!shown) return ''
  const { place, job, version, valid_from, revision, author, authored_at } = shown.definition
  if (composed.value) return `put together from the dataset and columns in ${place}`
  const by = job
    ? `run by ${jobName(job)}`
    : shown.origin === 'catalogue'
      ? "the database's own definition"
      : null
  const since = revision
    ? `commit ${revision.slice(0, 8)} by ${author}, ${ago(authored_at)}`
    : `version ${version}, since ${ago(valid_from)}`
  return [place, by, since].filter(Boolean).join(', ')
})

const HOW: Record<string, string> = {
  identity: 'the value as it is',
  transformation: 'computed from it',
  aggregation: 'aggregated from it',
  join: 'decides by a join',
  filter: 'decides by a filter',
  group_by: 'decides by grouping',
  sort: 'decides by sorting',
  window: 'decides by a window',
  conditional: 'decides in a condition',
}
</script>

<template>
  <section class="dock" :class="{ tall }" aria-label="Evidence">
    <div class="tabs">
      <div class="list" role="tablist" aria-label="Evidence">
        <button
          role="tab"
          :aria-selected="state.dock.value === 'code'"
          :class="{ on: state.dock.value === 'code' }"
          @click="state.setDock('code')"
        >
          {{ steps.length ? `The code behind this trail, ${counted(steps.length)}` : 'The code' }}
        </button>
        <button
          v-if="state.fields.value.length"
          role="tab"
          :aria-selected="state.dock.value === 'depends'"
          :class="{ on: state.dock.value === 'depends' }"
          @click="state.setDock('depends')"
        >
          What depends on
          <span class="mono">{{ depends?.label.split('.').at(-1) ?? 'this' }}</span><template
            v-if="depends"
            >: {{ plural(depends.columns, 'column') }},
            {{ plural(depends.elements, 'report element') }}
          </template>
        </button>
        <button
          role="tab"
          :aria-selected="state.dock.value === 'past'"
          :class="{ on: state.dock.value === 'past' }"
          @click="state.setDock('past')"
        >
          What has happened
        </button>
      </div>
      <span class="right">
        <button :aria-pressed="tall" @click="tall = !tall">{{ tall ? 'lower' : 'higher' }}</button>
        <button aria-label="Close the evidence" @click="state.setDock('closed')">close</button>
      </span>
    </div>

    <DependsList v-if="state.dock.value === 'depends'" :state="state" class="body" />
    <PastList v-else-if="state.dock.value === 'past'" :state="state" class="body" />
    <div v-else class="body split" :class="{ walked: steps.length }">
      <TrailWalk v-if="steps.length" :state="state" />
      <ol v-else ref="stepsList" class="steps">
        <li
          v-for="one in beside"
          :key="one.link"
          :class="{ on: one.link === state.shownLink.value }"
        >
          <button @click="state.show(one.link)">
            <span class="s">
              {{ one.source }} → {{ one.target.split('.').at(-1) }}
              <code>{{ one.note }}</code>
            </span>
          </button>
        </li>
        <li v-if="!beside.length" class="none">
          Choose a crossing, or a column for its whole trail.
        </li>
      </ol>
      <div class="proof">
        <p v-if="state.evidence.error.value" class="none state bad">
          {{ state.evidence.error.value }}
        </p>
        <p v-else-if="!evidence" class="none">
          {{ state.evidence.loading.value ? 'Reading the code…' : 'No code to show.' }}
        </p>
        <template v-else>
          <div class="where">
            <span>
              <b class="mono">{{ evidence.target.split('.').at(-1) }}</b> ←
              <span class="mono">{{ evidence.expression ?? evidence.source }}</span>
              <span v-if="evidence.path" class="mono path" title="the part that is taken">{{
                evidence.path
              }}</span>
              <span v-if="way.length > 1" class="how" :title="wayInFull">{{
                way.join(' → ')
              }}</span>
              <span v-else class="how">{{ HOW[evidence.how] ?? evidence.how }}</span>
              <span
                v-if="evidence.possible"
                class="possible"
                title="The code does not say which table this column is of: it may be another one."
                >possible</span
              >
            </span>
            <span :title="exact(evidence.definition.valid_from)">
              {{ origin }}
            </span>
          </div>
          <div ref="code" class="code mono" tabindex="0" aria-label="Code">
            <div v-for="line in lines" :key="line.number" class="line">
              <i>{{ composed ? '' : line.number }}</i><span
                ><template v-for="(piece, i) in line.pieces" :key="i"
                  ><mark v-if="piece.kinds.length" :class="piece.kinds">{{ piece.text }}</mark
                  ><template v-else>{{ piece.text }}</template></template
                ></span
              >
            </div>
          </div>
        </template>
      </div>
    </div>
  </section>
</template>

<style scoped>
.dock {
  grid-row: 4;
  height: 254px;
  border-top: 1px solid var(--ink);
  background: var(--sheet);
  display: grid;
  grid-template-rows: 30px minmax(0, 1fr);
  min-width: 0;
}
.dock.tall {
  height: 52vh;
}
.tabs {
  display: flex;
  gap: 22px;
  align-items: stretch;
  padding: 0 20px;
  font-size: 11px;
  color: var(--mute);
  border-bottom: 1px solid var(--hair);
}
.list {
  display: flex;
  gap: 22px;
}
.list > button {
  border-bottom: 2px solid transparent;
}
.list > button.on {
  color: var(--ink);
  font-weight: 600;
  border-bottom-color: var(--sign);
}
.right {
  margin-left: auto;
  display: flex;
  gap: 14px;
}
.right button:hover {
  color: var(--sign);
}
.body {
  min-height: 0;
  min-width: 0;
}
.split {
  display: grid;
  grid-template: minmax(0, 1fr) / 300px minmax(0, 1fr);
}
.split.walked {
  grid-template-columns: minmax(360px, 36%) minmax(0, 1fr);
}
.steps {
  margin: 0;
  padding: 4px 0;
  list-style: none;
  overflow: auto;
  border-right: 1px solid var(--hair);
  font-size: 12px;
}
.steps li {
  border-left: 3px solid transparent;
  padding-left: 17px;
}
.steps li.on {
  border-left-color: var(--sign);
  background: var(--sign-wash);
}
.steps button {
  display: flex;
  gap: 8px;
  width: 100%;
  padding: 4px 8px 4px 0;
}
.steps .s {
  min-width: 0;
  overflow-wrap: anywhere;
}
.steps code {
  display: block;
  font-size: 11px;
  color: var(--mute);
}
.none {
  color: var(--mute);
  padding: 8px 20px;
  margin: 0;
}
.proof {
  min-width: 0;
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
}
.where {
  display: flex;
  justify-content: space-between;
  gap: 20px;
  padding: 6px 20px 4px;
  font-size: 11px;
  color: var(--mute);
}
.where > span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.where > span:last-child {
  flex: none;
  max-width: 60%;
}
.where b {
  color: var(--ink);
}
.how {
  margin-left: 8px;
}
.path {
  margin-left: 8px;
}
.possible {
  margin-left: 8px;
  padding: 0 5px;
  border: 1px dashed currentcolor;
  color: var(--ink);
}
.code {
  position: relative;
  overflow: auto;
  font-size: 12px;
  line-height: 20px;
  padding: 0 20px 10px;
  white-space: pre;
}
.line {
  display: flex;
}
.line i {
  flex: none;
  font-style: normal;
  color: var(--mute);
  width: 36px;
  user-select: none;
}
mark {
  background: none;
  color: inherit;
}
mark.expression {
  background: color-mix(in srgb, var(--sign-wash) 65%, transparent);
}
mark.value {
  background: var(--sign-wash);
  border-bottom: 1px solid var(--sign);
}
mark.condition {
  background: var(--cond-wash);
  border-bottom: 2px dotted var(--cond);
}
mark.link {
  background: var(--mark);
  border-bottom: 2px solid var(--sign);
}
</style>
