<script setup lang="ts">
import { useVirtualizer } from '@tanstack/vue-virtual'
import { computed, useTemplateRef, watch } from 'vue'
import type { Beyond, DatasetBrief } from '@/api/client'
import KindGlyph from '@/shared/components/KindGlyph.vue'
import { count, plural } from '@/shared/format/humane'
import { standing, useStates } from '@/features/runs/useStates'
import { HEIGHT, type Item, type LaneLayout } from './layout'
import { DIFFERS, useDiffering } from './useDifference'
import { useMarks } from './useWithin'

const props = defineProps<{
  lane: LaneLayout
  lit: Set<number>
  chosen: number[]
  cursor: string | null
  beyond: Beyond | null
  wanted: string
  mayFold: boolean
  shownLink: number | null
}>()
const emit = defineEmits<{
  open: [dataset: number]
  follow: [field: number, dataset: number, add: boolean]
  hover: [field: number | null]
  unfold: [dataset: number]
  group: [key: string]
  scroll: [top: number]
  filter: [wanted: string]
  reach: [by: number | 'all']
  more: []
  fold: []
  show: [link: number]
}>()

const scroller = useTemplateRef<HTMLElement>('scroller')
const virtual = useVirtualizer(
  computed(() => ({
    count: props.lane.items.length,
    getScrollElement: () => scroller.value,
    estimateSize: (i: number) => props.lane.items[i]?.height ?? 0,
    getItemKey: (i: number) => props.lane.items[i]?.key ?? i,
    overscan: 4,
    initialRect: { width: 200, height: 700 },
  })),
)
watch(
  () => props.lane,
  () => virtual.value.measure(),
)
const shown = computed(() =>
  virtual.value
    .getVirtualItems()
    .map((v) => ({ item: props.lane.items[v.index] as Item, top: props.lane.tops[v.index] ?? 0 }))
    .filter((row) => row.item),
)
const title = computed(() => {
  const hops = Math.abs(props.lane.offset)
  if (!hops) return 'here'
  return `${hops} ${props.lane.offset < 0 ? 'upstream' : 'downstream'}`
})

const states = useStates()
const marks = useMarks()
const differing = useDiffering()
function stand(dataset: number) {
  const fact = states.value.get(dataset)
  return fact ? standing(fact) : { mark: '', text: '', tone: '', told: '' }
}

function about(dataset: DatasetBrief): string {
  if (dataset.kind === 'report') return dataset.owner ?? 'report'
  const database = dataset.container.split('.')[0]
  return [database, dataset.kind, ...(dataset.feeds_itself ? ['feeds itself'] : [])].join(', ')
}

/** Scroll so that a place in the lane can be seen. */
function reveal(y: number) {
  const box = scroller.value
  if (!box) return
  if (y < box.scrollTop + 20) box.scrollTop = Math.max(0, y - 40)
  else if (y > box.scrollTop + box.clientHeight - 30) box.scrollTop = y - box.clientHeight + 60
}
defineExpose({ reveal })
</script>

<template>
  <section class="lane" :aria-label="`${title}: ${plural(lane.total, 'dataset')}`">
    <h2 :class="{ middle: lane.offset === 0 }">
      <span>{{ title }}</span>
      <button
        v-if="mayFold"
        class="away"
        :aria-label="`Fold the lane ${title}`"
        @click="emit('fold')"
      >
        fold
      </button>
      <span v-if="lane.shown < lane.total">
        {{ count(lane.shown) }} of {{ count(lane.total) }}
      </span>
      <span v-else>{{ count(lane.total) }}</span>
    </h2>
    <input
      v-if="lane.total > 8 || wanted"
      class="filter"
      type="search"
      :value="wanted"
      :aria-label="`Filter the lane ${title}`"
      placeholder="filter…"
      @input="emit('filter', ($event.target as HTMLInputElement).value)"
    />
    <div
      ref="scroller"
      class="scroll"
      @scroll="emit('scroll', ($event.target as HTMLElement).scrollTop)"
    >
      <p v-if="!lane.items.length" class="none">Nothing here is called so.</p>
      <div class="sizer" :style="{ height: `${lane.height}px` }">
        <template v-for="{ item, top } in shown" :key="item.key">
          <button
            v-if="item.type === 'group'"
            class="group"
            :style="{ top: `${top}px` }"
            :aria-expanded="!item.closed"
            @click="emit('group', item.key)"
          >
            <span>{{ item.closed ? '▸' : '▾' }} {{ item.container }}</span
            ><span>{{ count(item.count) }}</span>
          </button>
          <article
            v-else
            class="card"
            :class="{ gone: item.dataset.gone }"
            :style="{ top: `${top}px`, height: `${item.height - HEIGHT.gap}px` }"
          >
            <button
              class="head"
              :class="{ at: cursor === item.key, found: marks.datasets.has(item.dataset.id) }"
              :data-dataset="item.dataset.id"
              :title="`${item.dataset.name}: make it here`"
              @click="emit('open', item.dataset.id)"
            >
              <span class="t">
                <KindGlyph :kind="item.dataset.kind" />
                <b>{{ item.dataset.title }}</b>
                <i v-if="differing.datasets.has(item.dataset.id)" class="differs" :title="DIFFERS"
                  >≠</i
                >
              </span>
              <span class="p">
                <span v-if="item.dataset.placeholder" class="state warn">not scanned</span>
                <span v-else-if="item.dataset.gone" class="state bad">gone</span>
                <template v-else>{{ about(item.dataset) }}</template>
                <span
                  v-if="states.has(item.dataset.id)"
                  class="stand state"
                  :class="stand(item.dataset.id).tone"
                  :title="stand(item.dataset.id).told"
                  >{{ stand(item.dataset.id).mark }} {{ stand(item.dataset.id).text }}</span
                >
              </span>
            </button>
            <template v-for="row in item.rows" :key="row.field.id">
              <button
                class="row"
                :class="{
                  mono: item.dataset.kind !== 'report',
                  lit: lit.has(row.field.id),
                  on: chosen.includes(row.field.id),
                  at: cursor === `f${row.field.id}`,
                  found: marks.fields.has(row.field.id),
                }"
                :data-field="row.field.id"
                :title="`${row.field.name}${row.field.type ? ` ${row.field.type}` : ''}: follow its trail`"
                @click="emit('follow', row.field.id, item.dataset.id, $event.shiftKey)"
                @mouseenter="emit('hover', row.field.id)"
                @mouseleave="emit('hover', null)"
              >
                {{ row.field.name }}
                <i v-if="differing.fields.has(row.field.id)" class="differs" :title="DIFFERS">≠</i>
              </button>
              <button
                v-for="one in row.operations"
                :key="one.link"
                class="operation"
                :class="{ on: shownLink === one.link }"
                :style="{ height: `${one.lines.length * HEIGHT.line + 4}px` }"
                :title="`${one.text}\n${one.words}\nShow the code`"
                :data-link="one.link"
                @click="emit('show', one.link)"
              >
                <i v-if="one.step !== null">{{ one.step + 1 }}</i>
                <span class="mono"
                  ><span v-for="(line, n) in one.lines" :key="n">{{ line }}</span></span
                >
              </button>
            </template>
            <button v-if="item.folded > 0" class="fold" @click="emit('unfold', item.dataset.id)">
              {{ item.rows.length ? `${count(item.folded)} other` : count(item.folded) }}
              {{ item.dataset.kind === 'report' ? 'element' : 'column'
              }}{{ item.folded === 1 ? '' : 's' }}
            </button>
          </article>
        </template>
      </div>
      <p v-if="lane.shown < lane.total" class="rest">
        {{ count(lane.total - lane.shown) }} more,
        <button class="link" @click="emit('more')">show more</button>
      </p>
    </div>
    <div v-if="beyond" class="beyond">
      <span>
        {{ plural(beyond.hops, 'more hop') }}, {{ plural(beyond.datasets, 'dataset')
        }}<template v-if="beyond.reports">, {{ plural(beyond.reports, 'report') }}</template>
      </span>
      <span class="acts">
        <button class="link" @click="emit('reach', 1)">one hop</button>
        <button class="link" @click="emit('reach', 'all')">all the way</button>
      </span>
    </div>
  </section>
</template>

<style scoped>
.lane {
  display: flex;
  flex-direction: column;
  min-height: 0;
  padding-top: 8px;
}
h2 {
  flex: none;
  font-size: 11px;
  color: var(--mute);
  display: flex;
  justify-content: space-between;
  border-bottom: 2px solid var(--hair);
  padding-bottom: 4px;
  margin-bottom: 8px;
}
.filter {
  flex: none;
  border: 0;
  border-bottom: 1px solid var(--hair);
  background: transparent;
  padding: 2px 0 4px;
  margin-bottom: 6px;
  width: 100%;
}
.filter::placeholder {
  color: var(--mute);
  opacity: 1;
}
.scroll {
  flex: 1;
  min-height: 0;
  overflow: hidden auto;
  scrollbar-width: none;
}
.sizer {
  position: relative;
}
.group {
  position: absolute;
  left: 0;
  right: 0;
  height: 22px;
  display: flex;
  justify-content: space-between;
  font-size: 11px;
  color: var(--mute);
  border-bottom: 1px solid var(--hair);
}
.card {
  position: absolute;
  left: 0;
  right: 0;
}
.gone {
  opacity: 0.7;
}
.head {
  display: block;
  width: 100%;
  height: 42px;
}
.t {
  display: flex;
  gap: 6px;
  align-items: center;
  line-height: 22px;
}
.t b {
  font-weight: 600;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.head:hover b {
  color: var(--sign);
}
.p {
  display: block;
  font-size: 11px;
  line-height: 15px;
  color: var(--mute);
  padding-left: 20px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.stand {
  margin-left: 6px;
}
.row {
  display: block;
  width: 100%;
  height: 22px;
  font-size: 12px;
  line-height: 21px;
  padding-left: 20px;
  border-top: 1px solid var(--hair);
  color: var(--mute);
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.operation {
  display: flex;
  gap: 5px;
  width: 100%;
  padding: 0 0 0 6px;
  font-size: 11px;
  line-height: 15px;
  color: var(--ink);
  text-align: left;
}
.operation > i {
  flex: none;
  min-width: 14px;
  font-style: normal;
  font-size: 10px;
  color: var(--sign);
  text-align: right;
}
.operation span span {
  display: block;
  white-space: pre;
}
.operation:hover,
.operation.on {
  color: var(--sign);
}
.operation.on > i {
  font-weight: 600;
  text-decoration: underline;
}
.middle {
  color: var(--sign);
  border-bottom-color: var(--sign);
}
.away {
  color: var(--mute);
  font-weight: 400;
  opacity: 0;
}
.lane:hover .away,
.away:focus-visible {
  opacity: 1;
}
.away:hover {
  color: var(--sign);
}
.row.lit {
  color: var(--ink);
  background: linear-gradient(90deg, var(--sign-wash), transparent);
}
.row:hover {
  color: var(--ink);
}
.found:not(.on) {
  background: var(--mark);
}
.row.on {
  color: var(--sign-ink);
  background: var(--sign);
}
.at {
  outline: 2px solid var(--sign);
  outline-offset: -2px;
}
.fold {
  display: block;
  height: 20px;
  font-size: 11px;
  color: var(--mute);
  padding-left: 20px;
  line-height: 20px;
}
.fold:hover {
  color: var(--sign);
}
.rest {
  margin: 2px 0 12px;
  font-size: 11px;
  color: var(--mute);
}
.none {
  color: var(--mute);
  margin: 4px 0;
}
.beyond {
  flex: none;
  border-top: 1px dashed var(--hair-strong);
  padding: 6px 0 8px;
  font-size: 11px;
  color: var(--mute);
  display: grid;
  gap: 2px;
}
.acts {
  display: flex;
  gap: 12px;
  font-weight: 600;
}
</style>
