import type { Schemas } from '@/api/client'

export type Road = Schemas['RoadFact']

export const CARD = { width: 204, height: 46, gapX: 116, gapY: 14, top: 30 }

export interface Placed {
  run: string
  x: number
  y: number
}

/** Where the cards of a road stand: lanes beside one another, the runs of each under one another. */
export function placeRoad(road: Road): {
  cards: Map<string, Placed>
  width: number
  height: number
} {
  const cards = new Map<string, Placed>()
  const most = Math.max(1, ...road.lanes.map((lane) => lane.runs.length))
  const step = CARD.height + CARD.gapY
  road.lanes.forEach((lane, n) => {
    // Short lanes stand in the middle of long ones.
    const above = ((most - lane.runs.length) * step) / 2
    lane.runs.forEach((row, i) => {
      cards.set(row.run, {
        run: row.run,
        x: n * (CARD.width + CARD.gapX),
        y: CARD.top + above + i * step,
      })
    })
  })
  const width = road.lanes.length * (CARD.width + CARD.gapX) - CARD.gapX
  return { cards, width, height: CARD.top + most * step }
}

/** All that lies on the way through a run, both ways: its runs, itself included. */
export function onTheWay(road: Road, run: string): Set<string> {
  const found = new Set([run])
  for (const [from, to] of [
    ['reader', 'writer'],
    ['writer', 'reader'],
  ] as const) {
    let frontier = [run]
    const seen = new Set(frontier)
    while (frontier.length) {
      const next = road.steps.filter((one) => frontier.includes(one[from])).map((one) => one[to])
      frontier = [...new Set(next)].filter((one) => !seen.has(one))
      for (const one of frontier) {
        seen.add(one)
        found.add(one)
      }
    }
  }
  return found
}

/** From when until when a road goes, in milliseconds. */
export function spanOfRoad(road: Road): [number, number] {
  const times = road.lanes.flatMap((lane) =>
    lane.runs.flatMap((row) => [row.started_at, row.ended_at ?? row.started_at]),
  )
  const numbers = times.map((one) => new Date(one).getTime())
  return [Math.min(...numbers), Math.max(...numbers)]
}
