<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, useTemplateRef } from 'vue'
import type { Schemas } from '@/api/client'
import { plural } from '@/shared/format/humane'
import { wirePath } from '@/features/lineage/geometry'

const props = defineProps<{
  connections: Schemas['Connection'][]
  systems: Schemas['SystemFact'][]
}>()

const box = useTemplateRef<HTMLElement>('box')
const { width } = useElementSize(box)
const ROW = 46
const WIDEST = 132
const GAP = 16

/** The heaviest connections that make no circle: along these, places are read from left to right. */
function straight(): { source: string; target: string }[] {
  const ahead = new Map<string, string[]>()
  const leads = (from: string, to: string): boolean =>
    from === to || (ahead.get(from) ?? []).some((next) => leads(next, to))
  return [...props.connections]
    .sort((a, b) => b.links - a.links)
    .filter(({ source, target }) => {
      if (leads(target, source)) return false
      ahead.set(source, [...(ahead.get(source) ?? []), target])
      return true
    })
}

/** Each place stands one step behind the furthest of those that feed it. */
const placed = computed(() => {
  const names = new Set(props.connections.flatMap((one) => [one.source, one.target]))
  const level = new Map<string, number>([...names].map((one) => [one, 0]))
  const forward = straight()
  for (let moved = true; moved;) {
    moved = false
    for (const { source, target } of forward) {
      const next = (level.get(source) ?? 0) + 1
      if (next > (level.get(target) ?? 0)) {
        level.set(target, next)
        moved = true
      }
    }
  }
  const deepest = Math.max(1, ...level.values())
  const columns = new Map<number, string[]>()
  for (const [one, at] of level) columns.set(at, [...(columns.get(at) ?? []), one])
  const size = Math.min(WIDEST, Math.max(60, width.value / (deepest + 1) - GAP))
  const most = Math.max(1, ...[...columns.values()].map((list) => list.length))
  const height = most * ROW
  const found = new Map<string, { x: number; y: number }>()
  for (const [at, list] of columns) {
    list.forEach((one, i) => {
      const x = (at / deepest) * Math.max(0, width.value - size)
      found.set(one, { x, y: (height - list.length * ROW) / 2 + i * ROW })
    })
  }
  return { found, height, size }
})

const wires = computed(() =>
  props.connections.flatMap((one) => {
    const from = placed.value.found.get(one.source)
    const to = placed.value.found.get(one.target)
    if (!from || !to) return []
    const y1 = from.y + ROW / 2 - 6
    const y2 = to.y + ROW / 2 - 6
    return [
      {
        ...one,
        path: wirePath(from.x + placed.value.size, y1, to.x - 2, y2),
        size: 1 + Math.log2(one.links) / 2,
      },
    ]
  }),
)

function query(place: string): Record<string, string> {
  if (place === 'reports') return { kind: 'report' }
  return place.includes('://') || place === 'consumers' ? { system: place } : { container: place }
}
function lines(place: string): [string, string] {
  const [scheme, rest] = place.split('://')
  if (rest) return [rest, scheme ?? '']
  const [database, schema] = place.split('.')
  return schema ? [schema, database ?? ''] : [place, 'what people read']
}
</script>

<template>
  <div ref="box" class="flow" :style="{ height: `${placed.height}px` }">
    <svg :width="width" :height="placed.height" aria-hidden="true">
      <path v-for="wire in wires" :key="wire.path" :d="wire.path" :stroke-width="wire.size">
        <title>{{ wire.source }} → {{ wire.target }}: {{ plural(wire.links, 'column') }}</title>
      </path>
    </svg>
    <RouterLink
      v-for="[place, at] in placed.found"
      :key="place"
      class="place"
      :style="{ left: `${at.x}px`, top: `${at.y}px`, width: `${placed.size}px` }"
      :to="{ name: 'catalog', query: query(place) }"
    >
      <b>{{ lines(place)[0] }}</b>
      <small>{{ lines(place)[1] }}</small>
    </RouterLink>
    <p v-if="!connections.length" class="mute">No links between places are known yet.</p>
  </div>
</template>

<style scoped>
.flow {
  position: relative;
  min-height: 40px;
}
svg {
  position: absolute;
  inset: 0;
}
path {
  fill: none;
  stroke: var(--sign);
  opacity: 0.45;
}
.place {
  position: absolute;
  height: 36px;
  padding: 2px 10px;
  border-left: 3px solid var(--sign);
  background: var(--sheet);
  color: var(--ink);
  line-height: 1.25;
}
.place:hover {
  text-decoration: none;
  background: var(--sign-wash);
}
.place small {
  display: block;
  color: var(--mute);
  font-size: 11px;
}
b {
  font-weight: 600;
}
</style>
