import { describe, expect, it } from 'vitest'
import type { Bundle, Crossing, LineageMap } from '../src/api/client'
import {
  apart,
  held,
  outOfSight,
  LANE,
  placeStations,
  stationsOf,
  wireEnds,
  wirePath,
} from '../src/features/lineage/geometry'
import { drawn, HEIGHT, layLane, placesIn, type LaneChoice } from '../src/features/lineage/layout'
import { jobName, shortName } from '../src/features/lineage/naming'
import { dataset } from './answers'

const choice: LaneChoice = {
  detail: 'columns',
  unfolded: new Set(),
  closed: new Set(),
  trail: false,
}

describe('a lane', () => {
  it('shows a few columns of each dataset and counts the rest', () => {
    const lane = layLane(-1, [dataset(1, 8)], 1, choice)
    const card = lane.items[0]
    expect(card).toMatchObject({ type: 'card', folded: 5 })
    expect(lane.height).toBe(HEIGHT.head + 5 * HEIGHT.row + HEIGHT.fold + HEIGHT.gap)
  })

  it('shows all columns that are on a trail', () => {
    const lane = layLane(1, [dataset(1, 8)], 1, { ...choice, trail: true })
    expect(lane.items[0]).toMatchObject({ folded: 2 })
  })

  it('groups many datasets by container, and a closed group hides its members', () => {
    const many = Array.from({ length: 12 }, (_, i) =>
      dataset(i, 1, i % 2 ? 'strait.core' : 'strait.mart'),
    )
    const lane = layLane(2, many, many.length, choice)
    expect(lane.items.filter((item) => item.type === 'group')).toHaveLength(2)
    const closed = layLane(2, many, many.length, { ...choice, closed: new Set(['2:strait.mart']) })
    expect(closed.items.filter((item) => item.type === 'card')).toHaveLength(6)
    expect(closed.total).toBe(12)
  })

  it('says how many of its datasets are here', () => {
    const lane = layLane(1, [dataset(1, 1), dataset(2, 1)], 206, choice)
    expect([lane.shown, lane.total]).toEqual([2, 206])
  })

  it('has a place for every row, also for what is folded', () => {
    const places = placesIn(layLane(1, [dataset(1, 8), dataset(2, 1)], 2, choice))
    expect(places.fields.get(100)).toBe(HEIGHT.head + HEIGHT.row / 2)
    expect(places.fields.has(107)).toBe(false)
    expect(places.folds.get(1)).toBeGreaterThan(places.fields.get(104) ?? Infinity)
    expect(places.datasets.get(2)).toBeGreaterThan(places.folds.get(1) ?? Infinity)
  })
})

function link(id: number, kind: 'value' | 'condition', target: number): Crossing {
  return {
    id,
    source_dataset: 1,
    source_field: 100 + id,
    target_dataset: target,
    target_field: kind === 'value' ? target * 100 : null,
    kind,
    how: 'identity',
    label: 'same',
    by: 'nightly.core.t',
    more: 0,
    possible: false,
  }
}

describe('links', () => {
  const road = {
    crossings: [link(1, 'condition', 2), link(2, 'value', 2), link(3, 'value', 3)],
    bundles: [] as Bundle[],
  } as LineageMap
  const crowded = {
    ...road,
    bundles: [
      { source_dataset: 1, target_dataset: 3, values: 40, links: 42 },
      { source_dataset: 1, target_dataset: 4, values: 0, links: 5 },
    ],
  } as LineageMap

  it('are all drawn between columns', () => {
    expect(drawn(road, 'columns', true).map((one) => one.id)).toEqual([1, 2, 3])
    expect(drawn(road, 'columns', false).map((one) => one.id)).toEqual([2, 3])
  })

  it('are drawn once between datasets, as a value if there is one', () => {
    expect(drawn(road, 'datasets', true).map((one) => one.id)).toEqual([2, 3])
  })

  it('are summed where there are more than can be drawn', () => {
    const lines = drawn(crowded, 'columns', true)
    expect(lines.map((line) => [line.target_dataset, line.kind, line.count])).toEqual([
      [2, 'condition', 1],
      [2, 'value', 1],
      [3, 'value', 1],
      [3, 'value', 42],
      [4, 'condition', 5],
    ])
    expect(lines.map((line) => line.link?.id)).toEqual([1, 2, 3, undefined, undefined])
    expect(drawn(crowded, 'columns', false).map((line) => line.count)).toEqual([1, 1, 40])
    expect(drawn(crowded, 'datasets', true).map((line) => line.target_dataset)).toEqual([2, 3, 4])
  })

  it('bulge where they do not lead to the right', () => {
    expect(wirePath(0, 0, 100, 50)).toBe('M0 0C50 0 50 50 100 50')
    expect(wirePath(100, 0, 100, 50)).toContain('120')
  })
})

it('keeps labels apart', () => {
  const found = apart([{ y: 10 }, { y: 0 }, { y: 12 }, { y: 90 }], 20).map((label) => label.y)
  expect(found).toEqual([0, 20, 40, 90])
})

it('names jobs as people read them', () => {
  expect(jobName('nightly.core.tickets')).toBe('nightly ▸ core.tickets')
  expect(shortName('nightly.core.tickets')).toBe('nightly')
  expect(shortName('foreign table remote.tickets')).toBe('foreign')
  expect(jobName('view mart.punctuality')).toBe('view mart.punctuality')
  expect(shortName('reports/board-pack.yaml')).toBe('board-pack.yaml')
  expect(shortName('declared in office/links.yaml')).toBe('declared')
  expect(shortName('Quay board › kept')).toBe('Quay board')
})

const columns = (offsets: number[], width: number) =>
  placeStations(stationsOf(offsets, new Set(), true), width, 78, LANE)

describe('the lanes side by side', () => {
  it('share the room that the middle leaves them, and are never too narrow to be read', () => {
    const wide = columns([-1, 0, 1], 1280)
    expect(wide.map((one) => one.width)).toEqual([236, 282, 236])
    expect(wide[0]!.left).toBe(1280 - wide[2]!.right)
    const narrow = columns([-2, -1, 0, 1, 2], 700)
    expect(narrow.map((one) => one.width)).toEqual([148, 148, 282, 148, 148])
    expect(narrow[0]!.left).toBe(20)
  })

  it('a wire leaves on the right, and enters a lane further left from its right side', () => {
    const [first, , last] = columns([-1, 0, 1], 1280)
    expect(wireEnds(first!, last!)).toEqual({ x1: first!.right + 3, x2: last!.left - 3 })
    expect(wireEnds(last!, first!)).toEqual({ x1: last!.right + 3, x2: first!.right + 3 })
  })

  it('a wire within a lane bulges into the gutter', () => {
    const [first] = columns([-1, 0, 1], 1280)
    const { x1, x2 } = wireEnds(first!, first!)
    expect(wirePath(x1, 40, x2, 90)).toBe(`M${x1} 40C${x1 + 20} 40 ${x1 + 20} 90 ${x2} 90`)
  })

  it('what is scrolled away stands at the edge, and is told apart', () => {
    expect(held(1, 50, 40, 600)).toEqual({ lane: 1, y: 50, hidden: false })
    expect(held(1, 20, 40, 600)).toEqual({ lane: 1, y: 40, hidden: true })
    expect(held(1, 900, 40, 600)).toEqual({ lane: 1, y: 600, hidden: true })
  })

  it('counts the lanes that are out of sight', () => {
    const lanes = columns([-2, -1, 0, 1, 2], 700)
    expect(outOfSight(lanes, 0, 700)).toEqual({ upstream: 0, downstream: 2 })
    expect(outOfSight(lanes, 600, 700)).toEqual({ upstream: 2, downstream: 0 })
  })
})
