/** The stretch of time that the ledger looks at. */
export interface Span {
  since: Date
  until: Date
}

export const SPANS = ['day', 'night', 'week', '90 days'] as const
export type SpanName = (typeof SPANS)[number]

const HOUR = 3_600_000
const DAY = 24 * HOUR

/** A span by its name: the last day, the last night (22:00 to 10:00), the last week, the last ninety days. */
export function spanNamed(name: SpanName, now: Date): Span {
  if (name === 'week') return { since: new Date(now.getTime() - 7 * DAY), until: now }
  if (name === '90 days') return { since: new Date(now.getTime() - 90 * DAY), until: now }
  if (name === 'day') return { since: new Date(now.getTime() - DAY), until: now }
  // From ten in the evening to ten in the morning; one that goes on ends now. Before midnight hardly anything has
  // run yet: until then the night is the one before.
  const since = new Date(now)
  since.setHours(22, 0, 0, 0)
  if (since.getTime() > now.getTime() - 2 * HOUR) since.setDate(since.getDate() - 1)
  const until = new Date(since)
  until.setDate(until.getDate() + 1)
  until.setHours(10)
  return { since, until: until > now ? now : until }
}

/** A span from the address: a name, or two times. */
export function spanOf(name: unknown, since: unknown, until: unknown, now: Date): Span {
  const from = new Date(String(since ?? ''))
  const to = new Date(String(until ?? ''))
  if (!Number.isNaN(from.getTime()) && !Number.isNaN(to.getTime()) && from < to)
    return { since: from, until: to }
  const known = SPANS.find((one) => one === name)
  return spanNamed(known ?? 'day', now)
}

/** Round times between two, some eight of them: full hours, or days where there are many. */
export function ticks(span: Span, wanted = 9): Date[] {
  const steps = [5, 10, 15, 30, 60, 120, 180, 360, 720, 1440, 2880, 10_080].map((m) => m * 60_000)
  const whole = span.until.getTime() - span.since.getTime()
  const step = steps.find((one) => whole / one <= wanted) ?? 20_160 * 60_000
  const offset = span.since.getTimezoneOffset() * 60_000
  const found: Date[] = []
  let at = Math.ceil((span.since.getTime() - offset) / step) * step + offset
  for (; at <= span.until.getTime(); at += step) found.push(new Date(at))
  return found
}

/** How a tick is named: its hour, or its day. */
export function tickName(time: Date, span: Span): string {
  const days = (span.until.getTime() - span.since.getTime()) / DAY
  if (days > 2) return time.toLocaleDateString('en-GB', { day: 'numeric', month: 'short' })
  return time.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
}

/** A span in words. */
export function spanWords(span: Span): string {
  const day = (time: Date) => time.toLocaleDateString('en-GB', { day: 'numeric', month: 'short' })
  const hour = (time: Date) =>
    time.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
  const same = span.since.toDateString() === span.until.toDateString()
  return `${day(span.since)} ${hour(span.since)} – ${same ? '' : `${day(span.until)} `}${hour(span.until)}`
}
