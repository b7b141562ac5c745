import type { Step, Story } from '@/api/client'

/** A row of the walk along a trail: a step, or steps side by side that change nothing. */
export interface WalkRow {
  /** The numbers of its steps, from 0. */
  steps: number[]
  level: number
  /** What it does to the value, in words; empty where it passes it on. */
  words: string
  /** Where a branch joins what it stands at (┘), ends before one (┐), or begins (└). */
  fork: '' | '┘' | '┐' | '└'
}

const UNCHANGED = 'identity'

/** How a step joins or leaves the main road. */
function forkAt(steps: Step[], n: number): WalkRow['fork'] {
  const step = steps[n] as Step
  if (step.fed_by.some((one) => (steps[one]?.level ?? 0) > step.level)) return '┘'
  const next = steps.findIndex((one, at) => at > n && one.fed_by.includes(n))
  const joins = steps[next]
  if (joins && joins.level < step.level) return '┐'
  const before = steps[step.fed_by[0] ?? -1]
  return before && before.level < step.level ? '└' : ''
}

/** The rows of a walk. shown: a step that is looked at; what it is folded with is unfolded. */
export function walkRows(steps: Step[], story: Story | null, shown: number | null): WalkRow[] {
  const words = new Map(story?.steps.map((one) => [one.link, one.words]))
  const rows: WalkRow[] = []
  steps.forEach((step, n) => {
    const quiet = step.how === UNCHANGED
    const last = rows.at(-1)
    const before = last?.steps.at(-1)
    const goesOn =
      quiet &&
      last !== undefined &&
      before !== undefined &&
      steps[before]?.how === UNCHANGED &&
      step.fed_by.length === 1 &&
      step.fed_by[0] === before &&
      last.level === step.level &&
      n !== shown &&
      before !== shown
    if (goesOn && last) {
      last.steps.push(n)
      last.fork = last.fork || forkAt(steps, n)
      return
    }
    rows.push({
      steps: [n],
      level: step.level,
      words: quiet ? '' : (words.get(step.link) ?? step.label),
      fork: forkAt(steps, n),
    })
  })
  return rows
}

/** The name of what a label stands for, without where it is. */
export function lastPart(label: string): string {
  return label.slice(label.lastIndexOf('.') + 1)
}

/** What stands before that. */
export function owner(label: string): string {
  return label.slice(0, Math.max(0, label.lastIndexOf('.')))
}

/** The numbers of the steps of a row, as people count. */
export function numbered(row: WalkRow): string {
  const first = (row.steps[0] ?? 0) + 1
  const last = (row.steps.at(-1) ?? 0) + 1
  return first === last ? String(first) : `${first}–${last}`
}

/** The whole walk as text, or as Markdown, to be given to somebody. */
export function walkText(
  title: string,
  steps: Step[],
  story: Story | null,
  form: 'text' | 'markdown',
): string {
  const told = new Map(story?.steps.map((one) => [one.link, one]))
  const lines = walkRows(steps, story, null).map((row) => {
    const step = steps[row.steps.at(-1) ?? 0] as Step
    const indent = '  '.repeat(row.level)
    const code = told.get(step.link)?.expression ?? (row.words ? step.label : '')
    const what = row.words || 'unchanged'
    const at = `${step.place}:${step.line}`
    if (form === 'text')
      return `${indent}${numbered(row)}. ${step.target}: ${what}${code && code !== what ? ` [${code}]` : ''} (${at})`
    const shown = code && code !== what ? ` — \`${code}\`` : ''
    return `${indent}- **${numbered(row)}** \`${step.target}\`: ${what}${shown} (${at})`
  })
  const head = form === 'text' ? title : `### ${title}`
  return [head, story?.sentence ?? '', '', ...lines].join('\n').trimEnd() + '\n'
}
