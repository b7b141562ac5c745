import type { IngestionFact, SourceFact } from '@/api/client'
import { count } from '@/shared/format/humane'

const STATES: Record<string, string> = {
  done: 'done',
  failed: 'failed',
  cancelled: 'stopped',
  running: 'at work',
}

/** The state of an ingestion in one word. */
export function stateWord(ingestion: IngestionFact): string {
  return ingestion.stopping && ingestion.state === 'running'
    ? 'stopping'
    : (STATES[ingestion.state] ?? ingestion.state)
}

/** What an ingestion found, as people say it: "47 tables, 298 columns". */
export function found(ingestion: IngestionFact | null): string {
  if (!ingestion) return 'nothing yet'
  const parts = Object.entries(ingestion.found).filter(([, value]) => value > 0)
  return parts.map(([name, value]) => counted(value, name)).join(', ') || 'nothing new'
}

/** A count with its noun, which comes in the plural. */
function counted(value: number, noun: string): string {
  const one = noun.replace(/(\w+)ies\b/, '$1y').replace(/(\w+[^s])s\b/, '$1')
  return `${count(value)} ${value === 1 ? one : noun}`
}

/** What an ingestion changed; what only follows from the rest is left out. */
export function changed(ingestion: IngestionFact): string {
  if (ingestion.state !== 'done') return ingestion.message ?? ''
  const parts = Object.entries(ingestion.changed).filter(([, value]) => value > 0)
  if (!parts.length) return 'no change'
  const order = ['datasets', 'links', 'queries', 'uses', 'definitions changed', 'links closed']
  const rank = (name: string) => (order.includes(name) ? order.indexOf(name) : order.length)
  return parts
    .sort(([a], [b]) => rank(a) - rank(b))
    .slice(0, 3)
    .map(([name, value]) => counted(value, name))
    .join(', ')
}

/** How far an ingestion is, from 0 to 1; null where nobody knows. */
export function fraction(ingestion: IngestionFact): number | null {
  const progress = ingestion.progress
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
