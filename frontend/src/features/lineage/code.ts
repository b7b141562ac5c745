import type { Evidence } from '@/api/client'

export type MarkKind = Evidence['marks'][number]['kind']

export interface Piece {
  text: string
  kinds: MarkKind[]
}

export interface Line {
  number: number
  pieces: Piece[]
}

/** Cut a text into lines, and each line where a mark begins or ends. Offsets count code points, as Python does. */
export function markedLines(evidence: Pick<Evidence, 'text' | 'first_line' | 'marks'>): Line[] {
  const characters = [...evidence.text]
  const cuts = new Set<number>()
  for (const mark of evidence.marks) cuts.add(mark.start).add(mark.end)
  const lines: Line[] = []
  let line: Line = { number: evidence.first_line, pieces: [] }
  let from = 0
  const push = (to: number) => {
    if (to > from) {
      const kinds = evidence.marks
        .filter((mark) => mark.start <= from && mark.end >= to && mark.start < mark.end)
        .map((mark) => mark.kind)
      line.pieces.push({ text: characters.slice(from, to).join(''), kinds })
    }
    from = to
  }
  for (let i = 0; i < characters.length; i++) {
    if (cuts.has(i)) push(i)
    if (characters[i] === '\n') {
      push(i)
      lines.push(line)
      line = { number: line.number + 1, pieces: [] }
      from = i + 1
    }
  }
  push(characters.length)
  if (line.pieces.length) lines.push(line)
  return lines
}
