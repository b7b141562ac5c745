import type { LineageMap, Story } from '@/api/client'

/** What happens to a value where it comes into a field: the code, which step of the walk it is, and in words. */
export interface Operation {
  step: number | null
  link: number
  text: string
  words: string
}

/** The operations of a trail, by the field that they make; values that pass unchanged have none. */
export function operations(map: LineageMap, story: Story | null): Map<number, Operation[]> {
  const told = new Map(story?.steps.map((one) => [one.link, one]))
  const stepOf = new Map<number, number>()
  map.steps.forEach((step, n) => step.links.forEach((link) => stepOf.set(link, n)))
  const found = new Map<number, Operation[]>()
  const seen = new Set<string>()
  for (const link of map.crossings) {
    if (link.kind !== 'value' || link.how === 'identity' || link.target_field === null) continue
    const n = stepOf.get(link.id)
    const step = n === undefined ? undefined : map.steps[n]
    const key = `${link.target_field}:${n ?? link.label}`
    if (seen.has(key)) continue
    seen.add(key)
    const said = step && told.get(step.link)
    const several = found.get(link.target_field) ?? []
    several.push({
      step: n ?? null,
      link: step?.link ?? link.id,
      text: said?.expression ?? link.label,
      words: said?.words ?? link.label,
    })
    found.set(link.target_field, several)
  }
  return found
}

/** Where a line of so many characters ends best: at a space, or else behind a sign. */
function breakAt(text: string, width: number): number {
  const space = text.lastIndexOf(' ', width)
  if (space > width / 3) return space
  const signs = ['(', ',', '.', '/', '_'].map((sign) => text.lastIndexOf(sign, width - 1) + 1)
  const sign = Math.max(...signs)
  return sign > width / 3 ? sign : width
}

/** Cut a text into lines of so many characters, at spaces where there are any; what is too much ends in dots. */
export function wrapped(text: string, width: number, most: number): string[] {
  const lines: string[] = []
  let rest = text.trim()
  while (rest && lines.length < most) {
    if (rest.length <= width) {
      lines.push(rest)
      return lines
    }
    const cut = breakAt(rest, width)
    lines.push(rest.slice(0, cut).trimEnd())
    rest = rest.slice(cut).trimStart()
  }
  if (rest && lines.length) {
    const last = lines[lines.length - 1] ?? ''
    lines[lines.length - 1] = `${last.slice(0, Math.max(1, width - 1))}…`
  }
  return lines
}
