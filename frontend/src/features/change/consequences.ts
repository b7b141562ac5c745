import type { Schemas } from '@/api/client'

export type Consequence = Schemas['ConsequenceFact']
export type Outcome = Schemas['ChangeOutcome']
export type Edit = Schemas['EditFact']
export type Grouping = 'kind' | 'thing' | 'person'

/** The kinds of consequences, the worst first, each with a shape and words besides its colour. */
export const KINDS: Record<
  string,
  { mark: string; label: string; words: string; means: string; tone: string }
> = {
  breaks: {
    mark: '✕',
    label: 'breaks',
    words: 'break',
    means: 'their statement fails',
    tone: 'bad',
  },
  gone: {
    mark: '∅',
    label: 'gone',
    words: 'are gone',
    means: 'nothing makes them again',
    tone: 'bad',
  },
  'goes stale': {
    mark: '◔',
    label: 'goes stale',
    words: 'go stale',
    means: 'what fills them fails, or is made of what is stale',
    tone: 'warn',
  },
  'comes late': {
    mark: '◷',
    label: 'comes late',
    words: 'come late',
    means: 'until then they hold what they held the day before',
    tone: 'warn',
  },
  'rows may change': {
    mark: '≁',
    label: 'other rows',
    words: 'other rows',
    means: 'they may have rows that they had not, or lack some',
    tone: 'warn',
  },
  'values may change': {
    mark: '∼',
    label: 'other values',
    words: 'other values',
    means: 'what some of their columns are made of is otherwise',
    tone: 'warn',
  },
  'shape changes': {
    mark: '≠',
    label: 'other columns',
    words: 'other columns',
    means: 'they gain or lose columns, or have them in another order',
    tone: 'mute',
  },
}

export interface Group {
  name: string
  note: string
  rows: Consequence[]
}

/** Consequences in groups: by kind, by what they are, or by whom they concern; the worst group first. */
export function grouped(rows: Consequence[], by: Grouping): Group[] {
  const found = new Map<string, Consequence[]>()
  for (const one of rows) {
    const key = by === 'kind' ? one.kind : by === 'thing' ? one.what : (one.owner ?? 'nobody named')
    found.set(key, [...(found.get(key) ?? []), one])
  }
  return [...found].map(([name, listed]) => ({
    name,
    note: by === 'kind' ? (KINDS[name]?.means ?? '') : '',
    rows: listed,
  }))
}

/** Whether what a person typed stands in a consequence. */
export function holds(one: Consequence, typed: string): boolean {
  const text =
    `${one.subject} ${one.reason} ${one.owner ?? ''} ${one.what} ${one.columns.join(' ')}`.toLowerCase()
  return typed
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word))
}

/** The code around what fails, with the characters that do so apart. */
export function pieces(failure: NonNullable<Consequence['failure']>) {
  const { text, start, end } = failure
  return { before: text.slice(0, start), marked: text.slice(start, end), after: text.slice(end) }
}

/** The outcome as text, for a review. */
export function asText(outcome: Outcome): string {
  const lines = [
    outcome.change.trim(),
    ...outcome.edited.map((one) => `${one} is edited`),
    ...outcome.added.map((one) => `${one} is added`),
    ...outcome.stopped.map((one) => `${one} does not run`),
    ...outcome.late.map((one) => `${one} comes late`),
    ...outcome.delivers.map((one) => `${one} is delivered otherwise`),
    '',
  ].filter((line, n) => line || n)
  if (outcome.refused) lines.push(`The database refuses it: ${outcome.refused}`)
  for (const edit of outcome.edits) lines.push(`${edit.subject}: ${edit.sentence}`)
  for (const one of outcome.consequences) {
    const which = one.columns.length ? ` [${one.columns.join(', ')}]` : ''
    lines.push(
      `- ${one.subject} ${one.kind}${which}: ${one.reason}${one.owner ? ` (${one.owner})` : ''}`,
    )
  }
  lines.push('', `${outcome.untouched_total} of ${outcome.reachable} downstream are untouched.`)
  return lines.join('\n')
}
