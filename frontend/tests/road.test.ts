import { describe, expect, it } from 'vitest'
import type { Crossing, LineageMap, Step } from '../src/api/client'
import { doings, foldedLanes, runs, stripWords } from '../src/features/lineage/folding'
import {
  ON_TRAIL,
  PAD,
  placeStations,
  railPath,
  roomFor,
  stationsOf,
} from '../src/features/lineage/geometry'
import { layLane } from '../src/features/lineage/layout'
import { operations, wrapped } from '../src/features/lineage/operations'
import { wayOf } from '../src/features/lineage/useWires'
import { numbered, walkRows, walkText } from '../src/features/lineage/walk'
import { dataset, story, trail } from './answers'

/** A road of single datasets: of each lane how the value comes into it from the one before. */
function road(hows: string[], focus: number): LineageMap {
  const crossings = hows.slice(1).map((how, i) => ({
    id: i + 1,
    source_dataset: i,
    source_field: i * 100,
    target_dataset: i + 1,
    target_field: (i + 1) * 100,
    kind: 'value',
    how,
    label: how === 'identity' ? 'same' : `f${i + 1}(x)`,
    by: 'nightly',
    more: 0,
    possible: false,
  })) as Crossing[]
  return {
    focus,
    fields: [focus * 100],
    lanes: hows.map((_, i) => ({ offset: i - focus, total: 1, datasets: [dataset(i, 1)] })),
    crossings,
    bundles: [],
    steps: [],
    steps_total: 0,
  } as unknown as LineageMap
}

const NOBODY = { open: new Set<number>(), folded: new Set<number>() }
const MUCH = () => true

describe('lanes of a trail', () => {
  const map = road(
    ['', 'identity', 'identity', 'transformation', 'identity', 'aggregation', 'identity'],
    4,
  )
  const does = doings(map)

  it('fold where they only pass the value on, but for the ends and what is here', () => {
    const folded = foldedLanes(does, NOBODY, MUCH)
    expect([...folded]).toEqual([-3, -2])
    expect(runs(does, folded).map(stripWords)).toEqual(['2 lanes, unchanged'])
    expect(
      stationsOf(
        map.lanes.map((one) => one.offset),
        folded,
        false,
      ),
    ).toMatchObject([
      { offsets: [-4], kind: 'lane' },
      { offsets: [-3, -2], kind: 'strip' },
      { offsets: [-1], kind: 'lane' },
      { offsets: [0], kind: 'lane' },
      { offsets: [1], kind: 'lane' },
      { offsets: [2], kind: 'lane' },
    ])
  })

  it('stay as a person has left them', () => {
    const byHand = { open: new Set([-3]), folded: new Set([1, 2, 0]) }
    expect([...foldedLanes(does, byHand, MUCH)]).toEqual([-2, 1])
  })

  it('fold where there is no room, those first in which least happens', () => {
    const folded = foldedLanes(does, NOBODY, (open) => open <= 4)
    expect([...folded]).toEqual([-3, -2, -1])
    expect(runs(does, folded).map(stripWords)).toEqual(['3 lanes, 1 change'])
    // The ends and the middle stay, whatever room there is.
    expect(foldedLanes(does, NOBODY, () => false).size).toBe(4)
  })

  it('in which a road ends stay open', () => {
    const forked = road(['', 'identity', 'identity', 'identity'], 3)
    forked.lanes[1]!.datasets.push(dataset(9, 1))
    expect([...foldedLanes(doings(forked), NOBODY, MUCH)]).toEqual([-1])
  })

  it('that are only summed up may change what goes through them', () => {
    const summed = road(['', 'identity', 'identity'], 2)
    summed.bundles = [{ source_dataset: 0, target_dataset: 1, values: 5, links: 5 }]
    expect([...foldedLanes(doings(summed), NOBODY, MUCH)]).toEqual([])
  })
})

/** A number that looks as if by chance, the same for each seed. */
function chance(seed: number) {
  let state = seed * 2654435761 + 1
  return () => {
    state = (state * 1103515245 + 12345) % 2147483648
    return state / 2147483648
  }
}

it.each([1, 2, 3, 4, 5, 6, 7, 8, 9, 10])(
  'whatever the road, its stations lie in the width there is, and none on another (%i)',
  (seed) => {
    const next = chance(seed)
    const length = 3 + Math.floor(next() * 40)
    const hows = Array.from({ length }, () => (next() < 0.5 ? 'identity' : 'transformation'))
    const map = road(hows, Math.floor(next() * length))
    for (const width of [956, 1212, 1852]) {
      const folded = foldedLanes(doings(map), NOBODY, (open, strips) =>
        roomFor(open, strips, width, 44),
      )
      const stations = stationsOf(
        map.lanes.map((one) => one.offset),
        folded,
        false,
      )
      const placed = placeStations(stations, width, 44, ON_TRAIL)
      placed.slice(1).forEach((one, i) => expect(one.left).toBeGreaterThan(placed[i]!.right + 20))
      expect(placed[0]!.left).toBeGreaterThanOrEqual(PAD)
      expect(placed.at(-1)!.right).toBeLessThanOrEqual(width - PAD)
      expect(stations.flatMap((one) => one.offsets)).toEqual(map.lanes.map((one) => one.offset))
    }
  },
)

describe('what happens to a value', () => {
  it('stands under the field that it makes, whole, in lines that fit', () => {
    const made = operations(trail, story)
    expect(made.get(100)).toEqual([
      { step: 0, link: 7, text: 'sum(t.fare)', words: 'sum of fare by sailing_id' },
    ])
    const text = 'percentile_cont(0.5) within group (order by gross / nullif(seats, 0))'
    const lines = wrapped(text, 20, 6)
    expect(lines.join(' ').replace('( ', '(')).toBe(text)
    expect(Math.max(...lines.map((line) => line.length))).toBeLessThanOrEqual(20)
    expect(wrapped('coalesce(sum(fare_paid), 0)', 14, 4)).toEqual([
      'coalesce(sum(',
      'fare_paid), 0)',
    ])
    expect(wrapped('a'.repeat(50), 10, 2)).toEqual(['aaaaaaaaaa', 'aaaaaaaaa…'])
    expect(wrapped('', 10, 2)).toEqual([])
  })

  it('has a row as high as its lines, and the next one stands below', () => {
    const one = dataset(1, 2)
    const lane = layLane(1, [one], 1, {
      detail: 'columns',
      unfolded: new Set(),
      closed: new Set(),
      trail: true,
      operations: new Map([[100, [{ step: 3, link: 7, text: 'a + b + c + d', words: '' }]]]),
      characters: 6,
    })
    const card = lane.items[0]
    const rows = card?.type === 'card' ? card.rows : []
    expect(rows[0]!.operations[0]!.lines.length).toBeGreaterThan(1)
    expect(rows[1]!.top).toBe(rows[0]!.top + rows[0]!.height)
    expect(lane.height).toBeGreaterThan(rows[1]!.top + rows[1]!.height)
  })
})

it('a line that goes past lanes takes a rail below them', () => {
  const path = railPath(100, 50, 900, 80, 400)
  expect(path.startsWith('M100 50C')).toBe(true)
  expect(path).toContain('400H870')
  expect(path.endsWith('900 80')).toBe(true)
})

it('the whole way of a field lights up, both ways, and what only decides about it', () => {
  const line = (id: number, from: number, to: number | null, kind = 'value') =>
    ({ id, source_field: from, target_field: to, kind }) as never
  const links = [
    line(1, 10, 20),
    line(2, 20, 30),
    line(3, 20, 31),
    line(4, 5, 20, 'condition'),
    line(5, 4, 5),
    line(6, 99, 30),
  ]
  expect([...wayOf(links, 20)].sort()).toEqual([1, 2, 3, 4])
  expect([...wayOf(links, 30)].sort()).toEqual([1, 2, 6])
})

describe('the walk', () => {
  const step = (n: number, how: string, level: number, fed_by: number[], target = `core.t${n}.x`) =>
    ({
      link: n + 1,
      links: [n + 1],
      target,
      source: '',
      place: `t${n}.sql`,
      line: n,
      how,
      label: `f${n}(x)`,
      level,
      fed_by,
    }) as unknown as Step
  const steps = [
    step(0, 'identity', 0, []),
    step(1, 'identity', 0, [0]),
    step(2, 'identity', 1, []),
    step(3, 'transformation', 0, [1, 2]),
    step(4, 'aggregation', 1, [3]),
    step(5, 'identity', 1, [3]),
  ]
  const told = {
    sentence: 'X is f of y.',
    steps: [{ link: 4, words: 'f of y', expression: 'f(y)' }],
  }

  it('folds what passes unchanged, and shows forks as forks', () => {
    const rows = walkRows(steps, told, null)
    expect(rows.map((row) => [numbered(row), row.fork, row.words])).toEqual([
      ['1–2', '', ''],
      ['3', '┐', ''],
      ['4', '┘', 'f of y'],
      ['5', '└', 'f4(x)'],
      ['6', '└', ''],
    ])
  })

  it('unfolds what is looked at', () => {
    expect(walkRows(steps, told, 1).map(numbered)).toEqual(['1', '2', '3', '4', '5', '6'])
  })

  it('can be given to somebody as text or Markdown', () => {
    const text = walkText('x', steps, told, 'text')
    expect(text).toContain('X is f of y.')
    expect(text).toContain('4. core.t3.x: f of y [f(y)] (t3.sql:3)')
    expect(text).toContain('  3. core.t2.x: unchanged')
    expect(walkText('x', steps, told, 'markdown')).toContain('- **4** `core.t3.x`: f of y — `f(y)`')
  })
})
