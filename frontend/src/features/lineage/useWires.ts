import { computed, ref } from 'vue'
import type { Crossing } from '@/api/client'
import { LABEL, apart, wireEnds, wirePath, type Anchor } from './geometry'
import { drawn, type Line } from './layout'
import { jobName, shortName } from './naming'
import type { LineageState } from './useLineage'
import type { useAnchors } from './useAnchors'
import type { useColumns } from './useColumns'

function touches(link: Line, field: number | null): boolean {
  return field !== null && (link.source_field === field || link.target_field === field)
}

/** The links in view as wires between the lanes, with what is lit among them, and their labels. */
export function useWires(
  state: LineageState,
  { columns, gutter, trail }: Pick<ReturnType<typeof useColumns>, 'columns' | 'gutter' | 'trail'>,
  { anchorOf, anchors }: Pick<ReturnType<typeof useAnchors>, 'anchorOf' | 'anchors'>,
) {
  const hovered = ref<number | null>(null)
  const links = computed<Line[]>(() => {
    const map = state.map.data.value
    return map ? drawn(map, state.detail.value, state.conditions.value) : []
  })

  /** What is on the trail, or touches what the pointer is on. */
  const lit = computed(() => {
    const found = new Set<number>()
    for (const link of links.value) {
      if (trail.value ? link.kind === 'value' : touches(link, hovered.value)) {
        if (link.source_field !== null) found.add(link.source_field)
        if (link.target_field !== null) found.add(link.target_field)
      }
    }
    return found
  })

  const wires = computed(() => {
    const found = []
    for (const link of links.value) {
      const source = anchorOf(link.source_dataset, link.source_field)
      const target = anchorOf(link.target_dataset, link.target_field)
      const from = source && columns.value[source.lane]
      const to = target && columns.value[target.lane]
      if (!source || !target || !from || !to) continue
      const { x1, x2 } = wireEnds(from, to)
      const bright = touches(link, hovered.value) || state.shownLink.value === link.id
      found.push({
        link,
        path: wirePath(x1, source.y, x2, target.y),
        x: x2,
        y: target.y,
        leftwards: x2 <= x1,
        value: link.kind === 'value',
        // A bundle is as wide as what it stands for is much, up to a point.
        width: link.link ? null : Math.min(4, 1.2 + Math.log2(link.count) / 3),
        bright,
        faint: (hovered.value !== null && !bright) || source.hidden || target.hidden,
      })
    }
    return found.sort(
      (a, b) => Number(a.value) - Number(b.value) || Number(a.bright) - Number(b.bright),
    )
  })

  /** Where the label of a link stands: at its target; on a trail half way, where its source is in the next lane. */
  function labelPlace(link: Line): Anchor | undefined {
    const { fields, datasets } = anchors.value
    const field =
      trail.value && link.target_field !== null ? fields.get(link.target_field) : undefined
    const target = field ?? datasets.get(link.target_dataset)
    const source = fields.get(link.source_field ?? -1)
    const beside = source && target && Math.abs(source.lane - target.lane) === 1
    return trail.value && beside ? { ...target, y: (source.y + target.y) / 2 } : target
  }

  const labels = computed(() => {
    const byGutter = new Map<number, { y: number; text: string; by: string; link: Crossing }[]>()
    const seen = new Set<string>()
    for (const line of links.value) {
      const link = line.link
      if (link?.kind !== 'value' || (!trail.value && link.by.includes('/'))) continue
      const place = labelPlace(line)
      if (!place || place.hidden || place.lane === 0) continue
      const key = trail.value ? `${link.target_field}:${link.label}` : `${link.target_dataset}`
      if (seen.has(key)) continue
      seen.add(key)
      const text = trail.value ? link.label : shortName(link.by)
      const list = byGutter.get(place.lane) ?? []
      list.push({ y: place.y, text, by: jobName(link.by), link })
      byGutter.set(place.lane, list)
    }
    return [...byGutter].flatMap(([lane, list]) =>
      apart(list, LABEL).map((label) => ({
        ...label,
        left: (columns.value[lane]?.left ?? 0) - gutter.value + 3,
      })),
    )
  })

  return { hovered, labels, links, lit, wires }
}
