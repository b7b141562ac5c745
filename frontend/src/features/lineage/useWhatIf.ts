import { computed } from 'vue'
import { api, type DatasetFacts } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'

export interface WhatIf {
  words: string
  of: string
  query: Record<string, string | undefined>
}

/** What may be asked of a dataset, or of what is chosen of it, on the change screen: words, and the address. */
export function useWhatIf(of: () => DatasetFacts | null, chosenOf: () => number[]) {
  const { data: databases } = useAsked(() => ['change databases'], api.changeDatabases)
  return computed<WhatIf[]>(() => {
    const facts = of()
    const chosen = chosenOf()
    if (facts === null || facts.system !== 'postgresql' || facts.placeholder || facts.gone_since)
      return []
    const [first, ...rest] = facts.name.split('.')
    // A database over which no texts are run is changed beside one over which they are: with its name in front.
    const isRunOver = databases.value?.some((one) => one.database === first) ?? true
    const database = isRunOver ? first : undefined
    const parts = isRunOver ? rest : facts.name.split('.')
    const kind = { view: 'view', 'materialised view': 'materialized view' }[facts.kind] ?? 'table'
    const column = facts.columns.find((one) => chosen.includes(one.id))
    const name = parts.join('.')
    const found: { words: string; query: Record<string, string | undefined> }[] = []
    if (column && kind === 'table') {
      const at = `alter table ${name}`
      found.push(
        { words: 'dropped', query: { sql: `${at} drop column ${column.name}` } },
        {
          words: 'renamed',
          query: { sql: `${at} rename column ${column.name} to ${column.name}_new` },
        },
        { words: 'retyped', query: { sql: `${at} alter column ${column.name} type text` } },
      )
    } else {
      found.push(
        { words: 'dropped', query: { sql: `drop ${kind} ${name} cascade` } },
        { words: 'renamed', query: { sql: `alter ${kind} ${name} rename to ${parts.at(-1)}_new` } },
      )
    }
    const writer = facts.written_by.find((one) => one.kind === 'file')
    if (writer) found.push({ words: 'late', query: { late: writer.place } })
    else if (kind === 'table')
      found.push({
        words: 'other data',
        query: { delivers: column ? `${name}.${column.name}` : name },
      })
    return found.map(({ words, query }) => ({
      words,
      of: column?.name ?? facts.title,
      query: { ...query, in: database },
    }))
  })
}
