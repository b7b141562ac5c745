<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, type CatalogPage, type FacetPage } from '@/api/client'
import FacetList from '@/shared/components/FacetList.vue'
import KindGlyph from '@/shared/components/KindGlyph.vue'
import { count, plural } from '@/shared/format/humane'
import { useAsked } from '@/shared/composables/useAsked'
import { usePages } from '@/shared/composables/usePages'
import { useTyped } from '@/shared/composables/useTyped'

const FACETS = ['kind', 'system', 'container', 'owner', 'state'] as const
type Facet = (typeof FACETS)[number]
const TITLES: Record<Facet, string> = {
  kind: 'Kind',
  system: 'System',
  container: 'Where',
  owner: 'Owner',
  state: 'State',
}

const route = useRoute()
const router = useRouter()

function chosen(facet: Facet): string[] {
  const value = route.query[facet]
  return (Array.isArray(value) ? value : value ? [value] : []).map(String)
}
const query = computed(() => ({
  q: String(route.query.q ?? ''),
  ...Object.fromEntries(FACETS.map((facet) => [facet, chosen(facet)])),
  limit: 100,
}))

const { data, error, loading } = useAsked(
  () => (route.name === 'catalog' ? ['catalog', query.value] : null),
  (signal) => api.catalog(query.value, signal),
)
const {
  items: rows,
  more,
  next,
  refused,
} = usePages(data, (cursor) => api.catalog({ ...query.value, cursor }))
const { words, typed: search } = useTyped(
  computed(() => query.value.q),
  (q) => void router.replace({ query: { ...route.query, q: q || undefined } }),
)

function toggle(facet: Facet, value: string) {
  const now = new Set(chosen(facet))
  if (!now.delete(value)) now.add(value)
  void router.push({ query: { ...route.query, [facet]: now.size ? [...now] : undefined } })
}

/** Values that were searched for, of facets that have more than are listed. */
const found = ref<Partial<Record<Facet, FacetPage['values']>>>({})
const searchFacet = useDebounceFn(async (facet: Facet, values: string) => {
  if (!values.trim()) {
    delete found.value[facet]
    return
  }
  const page = await api.facet(facet, { ...query.value, limit: 50, values })
  found.value[facet] = page.values
}, 200)
function valuesOf(facet: Facet): FacetPage['values'] {
  return found.value[facet] ?? data.value?.facets[facet] ?? []
}

const groups = computed(() => {
  const found = new Map<string, CatalogPage['items']>()
  for (const row of rows.value) {
    const place =
      row.kind === 'report' ? `reports / ${row.container}` : row.container.replaceAll('.', ' / ')
    found.set(place, [...(found.get(place) ?? []), row])
  }
  return [...found]
})
function flow(row: CatalogPage['items'][number]): string {
  const parts = [`${row.upstream} upstream`]
  if (row.downstream) parts.push(`${row.downstream} downstream`)
  if (row.reports) parts.push(plural(row.reports, 'report'))
  return parts.join(', ')
}
const anyChosen = computed(() => words.value !== '' || FACETS.some((facet) => chosen(facet).length))
</script>

<template>
  <main class="catalog">
    <Teleport defer to="#page-title"><h1 class="name">Catalog</h1></Teleport>
    <aside aria-label="Narrow down">
      <section v-for="facet in FACETS" :key="facet">
        <template v-if="(data?.facets[facet]?.length ?? 0) > 0">
          <FacetList
            :title="TITLES[facet]"
            :values="valuesOf(facet)"
            :chosen="chosen(facet)"
            @toggle="toggle(facet, $event)"
          >
            <input
              v-if="(data?.facet_totals[facet] ?? 0) > (data?.facets[facet]?.length ?? 0)"
              type="search"
              class="within"
              :placeholder="`one of ${count(data?.facet_totals[facet] ?? 0)}…`"
              :aria-label="`Search in ${TITLES[facet]}`"
              @input="searchFacet(facet, ($event.target as HTMLInputElement).value)"
            />
          </FacetList>
        </template>
      </section>
    </aside>
    <div class="list">
      <div class="bar">
        <ElInput
          v-model="words"
          placeholder="words in names, columns, descriptions, owners…"
          clearable
          aria-label="Search the catalog"
          @input="search"
        />
        <span v-if="data" class="mute">{{ plural(data.total, 'dataset') }}</span>
        <button v-if="anyChosen" class="link" @click="router.push({ query: {} })">show all</button>
        <a
          class="link closure"
          href="/api/v1/closure?form=csv"
          download
          title="For each dataset all it depends on, with depth, job and way, as CSV"
          >what depends on what</a
        >
      </div>
      <p v-if="error ?? refused" class="note state bad" role="alert">{{ error ?? refused }}</p>
      <p v-else-if="!data && loading" class="note">Reading the catalog…</p>
      <p v-else-if="!rows.length" class="note">
        {{
          anyChosen
            ? 'Nothing matches all of this. Take a choice away, or search for less.'
            : 'Nothing is loaded yet: jalan scan URL reads a database, jalan load FOLDER a repository.'
        }}
      </p>
      <section v-for="[place, members] in groups" :key="place" class="group">
        <h2>
          <span>{{ place }}</span><span>{{ count(members.length) }}</span>
        </h2>
        <RouterLink
          v-for="row in members"
          :key="row.id"
          class="row"
          :to="{ name: 'lineage', params: { dataset: String(row.id) } }"
        >
          <KindGlyph :kind="row.kind" />
          <span class="what">
            <b>{{ row.kind === 'report' ? row.title : row.name.split('.').at(-1) }}</b>
            <span v-if="row.placeholder" class="state warn"> not scanned</span>
            <span v-if="row.gone" class="state bad"> gone</span>
            <small>{{
              row.why && row.why !== 'name' ? row.why : (row.description ?? 'No description yet.')
            }}</small>
          </span>
          <span class="fact">{{ row.kind }}</span>
          <span class="fact">{{
            plural(row.columns, row.kind === 'report' ? 'element' : 'column')
          }}</span>
          <span class="fact owner">{{ row.owner ?? '' }}</span>
          <span
            class="fact flow"
            :title="`${row.upstream} datasets upstream, ${row.downstream} downstream, ${row.reports} reports`"
          >
            {{ flow(row) }}
          </span>
        </RouterLink>
      </section>
      <button v-if="next" class="link more" @click="more">more</button>
    </div>
  </main>
</template>

<style scoped>
.catalog {
  display: grid;
  grid-template-columns: 216px minmax(0, 1fr);
  min-height: 0;
}
.closure {
  margin-left: auto;
  white-space: nowrap;
}
.name {
  font-size: 16px;
}
aside {
  border-right: 1px solid var(--hair);
  overflow: auto;
  padding: 12px 14px 20px 20px;
  font-size: 12px;
}

.group h2 {
  font-size: 11px;
  color: var(--mute);
}
.list {
  overflow: auto;
  padding: 0 20px 30px;
}
.bar {
  position: sticky;
  top: 0;
  z-index: 2;
  background: var(--paper);
  display: flex;
  gap: 18px;
  align-items: center;
  padding: 10px 0;
}
.bar .el-input {
  width: 360px;
}
.group h2 {
  display: flex;
  justify-content: space-between;
  border-bottom: 2px solid var(--hair);
  padding: 12px 0 4px;
}
.row {
  display: grid;
  grid-template-columns: 16px minmax(180px, 1fr) 110px 86px 104px 170px;
  gap: 10px;
  align-items: center;
  padding: 5px 0;
  border-bottom: 1px solid var(--hair);
  color: var(--ink);
}
.row:hover {
  text-decoration: none;
  background: var(--sign-wash);
}
.what {
  min-width: 0;
}
b {
  font-weight: 600;
}
.what small {
  display: block;
  color: var(--mute);
  font-size: 12px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.fact {
  font-size: 12px;
  color: var(--mute);
}
.flow {
  text-align: right;
}
.note {
  color: var(--mute);
  padding: 20px 0;
}
.more {
  margin: 14px 0;
}
@media (width <= 1150px) {
  .row {
    grid-template-columns: 16px minmax(160px, 1fr) 86px 160px;
  }
  .owner,
  .fact:nth-of-type(2) {
    display: none;
  }
}
</style>
