import type { Crossing, DatasetBrief, FieldBrief, LineageMap } from '@/api/client'
import { wrapped, type Operation } from './operations'

/** A line between two lanes: a link, or all links between two datasets that are not drawn one by one. */
export interface Line {
  id: number
  source_dataset: number
  source_field: number | null
  target_dataset: number
  target_field: number | null
  kind: Crossing['kind']
  possible: boolean
  /** The link that it is, if it is one. */
  link: Crossing | null
  /** How many links it stands for. */
  count: number
}

/** Heights in pixels. They are set here, not measured, so that what is scrolled away still has a place. */
export const HEIGHT = { head: 42, row: 22, line: 15, fold: 20, gap: 14, group: 26 } as const

const GROUP_FROM = 9 // a lane with so many datasets is grouped by container
const ROWS_FOLDED = 5 // how many columns a card shows before it is unfolded
const MOST_LINES = 4 // of an operation

export type Detail = 'columns' | 'datasets'

/** An operation as it stands under the field that it makes, cut into lines that fit. */
export interface Written extends Operation {
  lines: string[]
}

export interface Row {
  field: FieldBrief
  operations: Written[]
  /** Where it begins in its card. */
  top: number
  height: number
}

export interface Card {
  type: 'card'
  key: string
  dataset: DatasetBrief
  rows: Row[]
  folded: number
  unfolded: boolean
  height: number
}

export interface Group {
  type: 'group'
  key: string
  container: string
  count: number
  closed: boolean
  height: number
}

export type Item = Card | Group

export interface LaneLayout {
  offset: number
  items: Item[]
  tops: number[]
  height: number
  /** How many datasets there are in the lane, and how many of them are here. */
  total: number
  shown: number
}

export interface LaneChoice {
  detail: Detail
  unfolded: Set<number>
  closed: Set<string>
  trail: boolean
  /** What is done where a field is made, and how many characters of that stand in a line. */
  operations?: Map<number, Operation[]>
  characters?: number
}

function layRows(fields: FieldBrief[], choice: LaneChoice): Row[] {
  let top: number = HEIGHT.head
  return fields.map((field) => {
    const written = (choice.operations?.get(field.id) ?? []).map((one) => ({
      ...one,
      lines: wrapped(one.text, choice.characters ?? 24, MOST_LINES),
    }))
    const lines = written.reduce((sum, one) => sum + one.lines.length, 0)
    const height = HEIGHT.row + lines * HEIGHT.line + (lines ? 4 : 0)
    const row = { field, operations: written, top, height }
    top += height
    return row
  })
}

/** Where the rows of a card end. */
function endOf(rows: Row[]): number {
  const last = rows.at(-1)
  return last ? last.top + last.height : HEIGHT.head
}

function card(dataset: DatasetBrief, choice: LaneChoice): Card {
  const open = choice.trail || choice.unfolded.has(dataset.id)
  const fields =
    choice.detail === 'datasets' ? [] : open ? dataset.fields : dataset.fields.slice(0, ROWS_FOLDED)
  const rows = layRows(fields, choice)
  const folded = dataset.total_fields - rows.length
  const height = endOf(rows) + (folded > 0 ? HEIGHT.fold : 0) + HEIGHT.gap
  const unfolded = choice.unfolded.has(dataset.id)
  return { type: 'card', key: `d${dataset.id}`, dataset, rows, folded, unfolded, height }
}

/** Lay out one lane: its cards one below the other, grouped by container where there are many. */
export function layLane(
  offset: number,
  shown: DatasetBrief[],
  total: number,
  choice: LaneChoice,
): LaneLayout {
  const items: Item[] = []
  if (shown.length >= GROUP_FROM) {
    const groups = new Map<string, DatasetBrief[]>()
    for (const dataset of shown) {
      const members = groups.get(dataset.container) ?? []
      members.push(dataset)
      groups.set(dataset.container, members)
    }
    for (const [container, members] of groups) {
      const key = `${offset}:${container}`
      const closed = choice.closed.has(key)
      items.push({
        type: 'group',
        key,
        container,
        count: members.length,
        closed,
        height: HEIGHT.group,
      })
      if (!closed) items.push(...members.map((member) => card(member, choice)))
    }
  } else {
    items.push(...shown.map((dataset) => card(dataset, choice)))
  }
  const tops: number[] = []
  let height = 0
  for (const item of items) {
    tops.push(height)
    height += item.height
  }
  return { offset, items, tops, height, total, shown: shown.length }
}

/** Where things stand in a lane: the middle of each field's row and of each dataset's title. */
export interface Places {
  fields: Map<number, number>
  datasets: Map<number, number>
  /** The row that stands for the columns that are folded away. */
  folds: Map<number, number>
}

export function placesIn(lane: LaneLayout): Places {
  const fields = new Map<number, number>()
  const datasets = new Map<number, number>()
  const folds = new Map<number, number>()
  lane.items.forEach((item, i) => {
    if (item.type !== 'card') return
    const top = lane.tops[i] ?? 0
    datasets.set(item.dataset.id, top + 11)
    for (const row of item.rows) fields.set(row.field.id, top + row.top + HEIGHT.row / 2)
    if (item.folded > 0 && item.rows.length) {
      folds.set(item.dataset.id, top + endOf(item.rows) + HEIGHT.fold / 2)
    }
  })
  return { fields, datasets, folds }
}

/** The number of the lane that each dataset stands in. */
export function laneNumbers(map: LineageMap): Map<number, number> {
  const found = new Map<number, number>()
  map.lanes.forEach((lane, i) => {
    for (const one of lane.datasets) found.set(one.id, i)
  })
  return found
}

function single(link: Crossing): Line {
  return { ...link, link, count: 1 }
}

/** What is drawn: links, and bundles of them; in the dataset view all that lies between two datasets is one line. */
export function drawn(map: LineageMap, detail: Detail, conditions: boolean): Line[] {
  const lines = [
    ...map.crossings.map(single),
    ...map.bundles.map<Line>((bundle, i) => ({
      id: -1 - i,
      source_dataset: bundle.source_dataset,
      source_field: null,
      target_dataset: bundle.target_dataset,
      target_field: null,
      kind: bundle.values > 0 ? 'value' : 'condition',
      possible: false,
      link: null,
      count: conditions ? bundle.links : bundle.values,
    })),
  ].filter((line) => conditions || line.kind === 'value')
  if (detail === 'columns') return lines
  const between = new Map<string, Line>()
  for (const line of lines) {
    const key = `${line.source_dataset}>${line.target_dataset}`
    const present = between.get(key)
    if (!present || (present.kind === 'condition' && line.kind === 'value')) between.set(key, line)
  }
  return [...between.values()]
}
