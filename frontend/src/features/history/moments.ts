import { clock } from '@/features/runs/words'

/** A moment as people say it; the exact time belongs on hover. */
export function momentName(time: string | null | undefined): string {
  return time ? clock(time) : 'now'
}

/** The moment before something happened: browsers count milliseconds. */
export function justBefore(time: string): string {
  return new Date(new Date(time).getTime() - 1).toISOString()
}

/** A time as the browser's own field wants it: in the viewer's zone, to the minute. */
export function asField(time: string | undefined): string {
  if (!time) return ''
  const at = new Date(time)
  return new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 16)
}

/** What was written into such a field, none where that is no time. */
export function fromField(written: string): string | null {
  const time = new Date(written)
  return Number.isNaN(time.getTime()) ? null : time.toISOString()
}
