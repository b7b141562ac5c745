const MINUTE = 60_000
const HOUR = 60 * MINUTE
const DAY = 24 * HOUR

/** How long ago, as people say it: "3 h ago". The exact time belongs on hover. */
export function ago(time: string | null | undefined, now = Date.now()): string {
  if (!time) return 'never'
  const passed = now - new Date(time).getTime()
  if (passed < MINUTE) return 'just now'
  if (passed < HOUR) return `${Math.floor(passed / MINUTE)} min ago`
  if (passed < DAY) return `${Math.floor(passed / HOUR)} h ago`
  return `${Math.floor(passed / DAY)} d ago`
}

/** The exact time in the viewer's zone. */
export function exact(time: string | null | undefined): string {
  return time ? new Date(time).toLocaleString(undefined, { timeZoneName: 'short' }) : ''
}

/** A count with thin spaces between thousands: 12 345. */
export function count(value: number): string {
  return String(value).replace(/\B(?=(\d{3})+(?!\d))/g, '\u202f')
}

/** A count with its noun: "1 column", "2 columns". */
export function plural(value: number, noun: string, many = `${noun}s`): string {
  return `${count(value)} ${value === 1 ? noun : many}`
}

/** A duration in seconds as people say it: "0.4 s", "3 min 20 s". */
export function lasting(seconds: number): string {
  if (seconds < 10) return `${seconds.toFixed(1)} s`
  if (seconds < 60) return `${Math.round(seconds)} s`
  const minutes = Math.floor(seconds / 60)
  return minutes < 60
    ? `${minutes} min ${Math.round(seconds % 60)} s`
    : `${Math.floor(minutes / 60)} h ${minutes % 60} min`
}

/** A share as a percentage that never rounds to all or nothing: 99.9 % is not 100 %. */
export function share(value: number | null | undefined): string {
  if (value === null || value === undefined) return 'no texts'
  if (value === 1) return '100 %'
  const percent = Math.min(99.9, Math.max(value > 0 ? 0.1 : 0, value * 100))
  return `${percent.toFixed(1)} %`
}

/** When something is due: "in 3 h". */
export function until(time: string | null | undefined, now = Date.now()): string {
  if (!time) return 'when asked'
  const left = new Date(time).getTime() - now
  if (left < MINUTE) return 'now'
  if (left < HOUR) return `in ${Math.floor(left / MINUTE)} min`
  if (left < DAY) return `in ${Math.floor(left / HOUR)} h`
  return `in ${Math.floor(left / DAY)} d`
}
