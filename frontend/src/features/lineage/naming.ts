/** The pipeline of a job, or what else does it, in one short word. */
export function shortName(by: string): string {
  if (by.startsWith('declared ')) return 'declared'
  if (by.includes(' › ')) return by.split(' › ')[0] ?? by
  if (by.includes('/')) return by.split('/').at(-1) ?? by
  if (by.includes(' ')) return by.split(' ')[0] ?? by
  return by.split('.')[0] ?? by
}

/** `nightly.core.tickets` → `nightly ▸ core.tickets`. Places of files, and what the database itself does, are left as they are. */
export function jobName(by: string): string {
  if (/[/ ]/.test(by)) return by
  const [pipeline, ...rest] = by.split('.')
  return rest.length > 1 ? `${pipeline} ▸ ${rest.join('.')}` : by
}
