import type { RunFact, SourceFact } from '@/api/client'
import { count } from '@/humane'

const STATES: Record<string, string> = {
  done: 'done',
  failed: 'failed',
  cancelled: 'stopped',
  running: 'running',
}

/** The state of a run in one word. */
export function stateWord(run: RunFact): string {
  return run.stopping && run.state === 'running' ? 'stopping' : (STATES[run.state] ?? run.state)
}

/** What a run found, as people say it: "47 tables, 298 columns". */
export function found(run: RunFact | null): string {
  if (!run) return 'nothing yet'
  const parts = Object.entries(run.found).filter(([, value]) => value > 0)
  return parts.map(([name, value]) => counted(value, name)).join(', ') || 'nothing new'
}

/** A count with its noun, which comes in the plural. */
function counted(value: number, noun: string): string {
  const one = noun.replace(/(\w+)ies\b/, '$1y').replace(/(\w+[^s])s\b/, '$1')
  return `${count(value)} ${value === 1 ? one : noun}`
}

/** What a run changed; what only follows from the rest is left out. */
export function changed(run: RunFact): string {
  if (run.state !== 'done') return run.message ?? ''
  const parts = Object.entries(run.changed).filter(([, value]) => value > 0)
  if (!parts.length) return 'no change'
  const order = ['datasets', 'links', 'queries', 'uses', 'definitions changed', 'links closed']
  const rank = (name: string) => (order.includes(name) ? order.indexOf(name) : order.length)
  return parts
    .sort(([a], [b]) => rank(a) - rank(b))
    .slice(0, 3)
    .map(([name, value]) => counted(value, name))
    .join(', ')
}

/** How far a run is, from 0 to 1; null where nobody knows. */
export function fraction(run: RunFact): number | null {
  const progress = run.progress
  return progress && progress.total > 0 ? Math.min(1, progress.done / progress.total) : null
}

/** The address of a source in few words, for lists. */
export function place(source: SourceFact): string {
  const config = source.config as Record<string, unknown>
  const text = (key: string) => (typeof config[key] === 'string' ? config[key] : '')
  switch (source.kind) {
    case 'postgresql':
      return `${text('known_as') || `${text('host')}:${String(config.port)}`} / ${text('database')}`
    case 'repository':
      return [tail(text('location')), text('revision')].filter(Boolean).join(' @ ')
    case 'reports':
      return text('url')
    default:
      return tail(text('files') || text('file') || text('location') || text('flows'))
  }
}

function tail(path: string): string {
  return path.split('/').slice(-2).join('/')
}

/** Where a secret of a source is, for people. */
export function secretPlace(where: string): string {
  if (where === 'kept') return 'kept encrypted'
  if (where === 'unreadable') return 'sealed with another key: give it again'
  return `from ${where.replace('env:', '')}`
}
