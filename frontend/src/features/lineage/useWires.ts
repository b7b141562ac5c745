import { computed, ref, type Ref } from 'vue'
import type { Crossing } from '@/api/client'
import { LABEL, RAIL, apart, railPath, wireEnds, wirePath } from './geometry'
import type { Line } from './layout'
import { jobName, shortName } from './naming'
import type { LineageState } from './useLineage'
import type { useAnchors } from './useAnchors'
import type { useColumns } from './useColumns'
import type { useRails } from './useRails'

/** The links on the whole way of a field, both ways, through all that is drawn. */
export function wayOf(links: Line[], field: number): Set<number> {
  const found = new Set<number>()
  for (const [from, to] of [
    ['source_field', 'target_field'],
    ['target_field', 'source_field'],
  ] as const) {
    const met = new Set([field])
    const waiting = [field]
    while (waiting.length) {
      const at = waiting.pop()
      for (const link of links) {
        if (link[from] !== at || (link.kind !== 'value' && at !== field)) continue
        found.add(link.id)
        const next = link[to]
        if (next !== null && link.kind === 'value' && !met.has(next)) {
          met.add(next)
          waiting.push(next)
        }
      }
    }
  }
  return found
}

/** The links in view as wires between the lanes, with what is lit among them, and their labels. */
export function useWires(
  state: LineageState,
  {
    columns,
    folded,
    gutter,
    stationOf,
    trail,
  }: Pick<ReturnType<typeof useColumns>, 'columns' | 'folded' | 'gutter' | 'stationOf' | 'trail'>,
  { links, railOf }: Pick<ReturnType<typeof useRails>, 'links' | 'railOf'>,
  { anchorOf, anchors }: Pick<ReturnType<typeof useAnchors>, 'anchorOf' | 'anchors'>,
  height: Ref<number>,
) {
  const hovered = ref<number | null>(null)
  /** The way of what the pointer is on. */
  const way = computed(() =>
    hovered.value === null ? new Set<number>() : wayOf(links.value, hovered.value),
  )

  /** What is on the trail, or on the way of what the pointer is on. */
  const lit = computed(() => {
    const found = new Set<number>()
    for (const link of links.value) {
      const is =
        hovered.value === null ? trail.value && link.kind === 'value' : way.value.has(link.id)
      if (is) {
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
      // Within a strip nothing is drawn; and what decides there is not shown.
      const inStrip = [source, target].map((one) =>
        folded.value.has(columns.value[one.lane]?.offset ?? NaN),
      )
      if (stationOf.value[source.lane] === stationOf.value[target.lane] && inStrip[0]) continue
      if (link.kind !== 'value' && (inStrip[0] || inStrip[1])) continue
      const { x1, x2 } = wireEnds(from, to)
      const bright = way.value.has(link.id) || state.shownLink.value === link.id
      const rail = railOf(link)
      found.push({
        link,
        path:
          rail === undefined
            ? wirePath(x1, source.y, x2, target.y)
            : railPath(x1, source.y, x2, target.y, height.value - RAIL.first - rail * RAIL.apart),
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

  /** Between lanes stands who does it; on a trail what is done stands with what it makes. */
  const labels = computed(() => {
    const byGutter = new Map<number, { y: number; text: string; by: string; link: Crossing }[]>()
    const seen = new Set<number>()
    for (const line of trail.value ? [] : links.value) {
      const link = line.link
      if (link?.kind !== 'value' || link.by.includes('/') || seen.has(link.target_dataset)) continue
      const place = anchors.value.datasets.get(link.target_dataset)
      if (!place || place.hidden || place.lane === 0) continue
      seen.add(link.target_dataset)
      const list = byGutter.get(place.lane) ?? []
      list.push({ y: place.y, text: shortName(link.by), by: jobName(link.by), link })
      byGutter.set(place.lane, list)
    }
    return [...byGutter].flatMap(([lane, list]) =>
      apart(list, LABEL).map((label) => ({
        ...label,
        left: (columns.value[lane]?.left ?? 0) - gutter.value + 3,
      })),
    )
  })

  return { hovered, labels, lit, wires }
}
