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
