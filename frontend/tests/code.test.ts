import { describe, expect, it } from 'vitest'
import { markedLines } from '../src/features/lineage/code'

const shown = (
  text: string,
  marks: { start: number; end: number; kind: 'link' | 'expression' }[],
) =>
  markedLines({ text, first_line: 7, marks }).map((line) => [
    line.number,
    ...line.pieces.map((piece) => `${piece.text}${piece.kinds.length ? `[${piece.kinds}]` : ''}`),
  ])

describe('marked code', () => {
  it('is cut into lines that begin at the first line of the text', () => {
    expect(shown('select\nfare\n', [])).toEqual([
      [7, 'select'],
      [8, 'fare'],
    ])
  })

  it('is cut where marks begin and end, one inside the other', () => {
    const marks = [
      { start: 7, end: 16, kind: 'expression' as const },
      { start: 11, end: 15, kind: 'link' as const },
    ]
    expect(shown('select sum(fare)', marks)).toEqual([
      [7, 'select ', 'sum([expression]', 'fare[expression,link]', ')[expression]'],
    ])
  })

  it('marks across lines', () => {
    expect(shown('a b\nc d', [{ start: 2, end: 5, kind: 'link' }])).toEqual([
      [7, 'a ', 'b[link]'],
      [8, 'c[link]', ' d'],
    ])
  })

  it('counts characters as Python does, also beyond the basic plane', () => {
    expect(shown("select '⛴🚢', fare", [{ start: 13, end: 17, kind: 'link' }])).toEqual([
      [7, "select '⛴🚢', ", 'fare[link]'],
    ])
  })
})
