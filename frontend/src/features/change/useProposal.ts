import { useSessionStorage } from '@vueuse/core'
import { computed } from 'vue'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'
import type { Proposal } from '@/api/client'

/**
 * What would change: SQL and what does not run stand in the address; edited texts are too long for one, and stay in
 * this browser's tab until they are taken back, or kept under a name.
 */
export function useProposal() {
  const route = useRoute()
  const router = useRouter()
  const here = () => route.name === 'change'
  const edits = useSessionStorage<Record<string, string>>('jalan: edited texts', {})
  const sql = computed(() => String(route.query.sql ?? ''))
  const database = computed(() => (route.query.in ? String(route.query.in) : undefined))
  const several = (name: string) =>
    [route.query[name] ?? []].flat().filter((one): one is string => typeof one === 'string')
  const stopped = computed(() => several('stop'))
  const late = computed(() => several('late'))
  const delivers = computed(() => several('delivers'))
  const open = computed(() => (route.query.edit ? String(route.query.edit) : null))
  const kept = computed(() => {
    const id = Number(route.query.kept)
    return Number.isInteger(id) && id > 0 ? id : null
  })
  function go(query: LocationQueryRaw) {
    if (here()) void router.replace({ query: { ...route.query, ...query } })
  }
  function edit(place: string, text: string | null) {
    const others = Object.fromEntries(Object.entries(edits.value).filter(([one]) => one !== place))
    edits.value = text === null ? others : { ...others, [place]: text }
  }
  const some = (names: string[]) => (names.length ? names : undefined)
  /** Take over a whole proposal, as it was kept. */
  function take(proposal: Proposal) {
    edits.value = { ...proposal.edits }
    go({
      sql: proposal.sql.trim() ? proposal.sql : undefined,
      stop: some(proposal.stopped),
      late: some(proposal.late),
      delivers: some(proposal.delivers),
      in: proposal.database ?? undefined,
      edit: undefined,
    })
  }
  return { here, sql, database, stopped, late, delivers, some, edits, open, kept, go, edit, take }
}
