import type { Schemas } from '@/api/client'
import { lasting } from '@/shared/format/humane'

export type RunRow = Schemas['RunRow']

/** The states of a run, each with a shape and a word besides its colour. */
export const STATES: Record<string, { mark: string; word: string; tone: string }> = {
  failed: { mark: '✕', word: 'failed', tone: 'bad' },
  running: { mark: '●', word: 'running', tone: 'going' },
  done: { mark: '✓', word: 'done', tone: 'good' },
  stopped: { mark: '■', word: 'stopped', tone: 'warn' },
  unknown: { mark: '?', word: 'not told', tone: 'mute' },
}

export function stateOf(state: string) {
  return STATES[state] ?? { mark: '?', word: state, tone: 'mute' }
}

/** The name of a job without what it shares with the job that called it: "tidy.refunds" of "nightly". */
export function shortJob(name: string, caller: string | undefined): string {
  const first = caller?.split('.')[0]
  return first && name.startsWith(`${first}.`) ? name.slice(first.length + 1) : name
}

const TWO = (value: number) => String(value).padStart(2, '0')

/** The time of day, with the day where it is another one than the day that is looked at. */
export function clock(time: string, day?: Date): string {
  const at = new Date(time)
  const hours = `${TWO(at.getHours())}:${TWO(at.getMinutes())}`
  if (day && at.toDateString() === day.toDateString()) return hours
  const month = at.toLocaleDateString('en-GB', { day: 'numeric', month: 'short' })
  return `${month} ${hours}`
}

/** How long: milliseconds where it is less than a second. */
export function took(seconds: number): string {
  return seconds < 1 ? `${Math.round(seconds * 1000)} ms` : lasting(seconds)
}

/** How much, as people say it: "8.1 MB". */
export function size(bytes: number): string {
  const units = ['B', 'kB', 'MB', 'GB', 'TB', 'PB']
  let value = bytes
  let unit = 0
  while (value >= 1000 && unit < units.length - 1) {
    value /= 1000
    unit += 1
  }
  return `${unit && value < 10 ? value.toFixed(1) : Math.round(value)} ${units[unit]}`
}

/** The last two parts of a name: schema and table. */
export function lastParts(name: string): string {
  return name.split('.').slice(-2).join('.')
}

/** What a version of a job reads and writes otherwise than the one before. */
export function changesOfData(found: {
  inputs_added: string[]
  inputs_gone: string[]
  outputs_added: string[]
  outputs_gone: string[]
}): string[] {
  const told: [string, string[]][] = [
    ['also reads', found.inputs_added],
    ['no longer reads', found.inputs_gone],
    ['also writes', found.outputs_added],
    ['no longer writes', found.outputs_gone],
  ]
  return told
    .filter(([, names]) => names.length)
    .map(([words, names]) => `${words} ${names.map(lastParts).join(', ')}`)
}
