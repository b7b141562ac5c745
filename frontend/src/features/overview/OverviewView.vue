<script setup lang="ts">
import { computed } from 'vue'
import { api } from '@/api/client'
import FlowMap from './FlowMap.vue'
import KindGlyph from '@/shared/components/KindGlyph.vue'
import { ago, count, exact, plural } from '@/shared/format/humane'
import { useAsked } from '@/shared/composables/useAsked'

const { data, error } = useAsked(['overview'], api.overview)

const DAY = 86_400_000
const { data: failed } = useAsked(['failed runs'], (signal) =>
  api.runs(
    {
      state: ['failed'],
      since: new Date(Date.now() - DAY).toISOString(),
      until: new Date().toISOString(),
      limit: 50,
    },
    signal,
  ),
)
/** The runs that failed themselves, not those that had called them. */
const failures = computed(() => {
  const rows = failed.value?.items ?? []
  return rows
    .filter((one) => one.message || !rows.some((other) => other.parent === one.run))
    .slice(0, 4)
})

const empty = computed(() => data.value !== null && data.value.systems.length === 0)
const needsLook = computed(() => {
  const found = data.value
  if (!found) return 0
  return (
    found.diagnostics.length +
    found.ingestions.filter((one) => one.state === 'failed').length +
    failures.value.length +
    (found.placeholders ? 1 : 0)
  )
})
const KINDS: [string, string][] = [
  ['table', 'tables'],
  ['view', 'views'],
  ['materialised view', 'materialised views'],
  ['foreign table', 'foreign tables'],
  ['report', 'reports'],
]
const name = (namespace: string) => namespace.replace('postgres://', '')
</script>

<template>
  <main class="overview">
    <Teleport defer to="#page-title"><h1 class="name">Overview</h1></Teleport>
    <p v-if="error" class="state bad" role="alert">{{ error }}</p>
    <p v-else-if="!data" class="mute">Reading what is loaded…</p>
    <section v-else-if="empty" class="empty">
      <h2>Nothing is loaded yet</h2>
      <p>Jalan knows what it is told. Begin with a database and the SQL that fills it:</p>
      <pre>
jalan scan postgresql://reader@host:5432/database
jalan load ./pipelines</pre>
    </section>
    <template v-else>
      <section class="wide">
        <h2>How data moves</h2>
        <FlowMap :connections="data.connections" :systems="data.systems" />
      </section>
      <section>
        <h2>What is known</h2>
        <dl>
          <template v-for="[kind, many] in KINDS" :key="kind">
            <template v-if="data.datasets[kind]">
              <dt>{{ many }}</dt>
              <dd>
                <RouterLink :to="{ name: 'catalog', query: { kind } }">{{
                  count(data.datasets[kind] ?? 0)
                }}</RouterLink>
              </dd>
            </template>
          </template>
          <dt>columns and elements</dt>
          <dd>{{ count(data.fields) }}</dd>
          <dt>links that carry values</dt>
          <dd>{{ count(data.links.value ?? 0) }}</dd>
          <dt>links that only decide</dt>
          <dd>{{ count(data.links.condition ?? 0) }}</dd>
        </dl>
      </section>
      <section>
        <h2>How far it can be trusted</h2>
        <dl>
          <dt>statements read, with a data flow</dt>
          <dd>{{ count(data.statements_followed) }} of {{ count(data.statements) }}</dd>
          <dt>places in them not read, or guessed</dt>
          <dd>
            {{ count((data.diagnostic_counts.error ?? 0) + (data.diagnostic_counts.warning ?? 0)) }}
          </dd>
          <dt>columns of what is written, with a source that is known</dt>
          <dd>{{ count(data.columns_traced) }} of {{ count(data.columns_traceable) }}</dd>
          <dt>named somewhere but never scanned</dt>
          <dd>
            <RouterLink
              v-if="data.placeholders"
              :to="{ name: 'catalog', query: { state: 'placeholder' } }"
              >{{ count(data.placeholders) }}</RouterLink><template v-else>0</template>
          </dd>
        </dl>
        <p class="mute small">
          A column without a source is a constant, a count of rows or a default.
        </p>
      </section>
      <section>
        <h2>What needs a look</h2>
        <p v-if="!needsLook" class="good">
          Nothing: every statement was read in full, and every scan and load went through.
        </p>
        <ul v-else class="plain">
          <li v-for="one in failures" :key="one.run">
            <span class="state bad gap">✕ failed</span>
            <RouterLink class="gap" :to="{ name: 'runs', query: { span: 'day', run: one.run } }">{{
              one.job.name
            }}</RouterLink>
            <span class="mute" :title="exact(one.started_at)">{{ ago(one.started_at) }}</span>
            <small>{{ one.message }}</small>
          </li>
          <li
            v-for="(one, i) in data.ingestions.filter((row) => row.state === 'failed')"
            :key="`f${i}`"
          >
            <span class="state bad">failed</span> {{ one.kind }} of {{ name(one.subject) }}
            <span class="mute" :title="exact(one.started_at)">{{ ago(one.started_at) }}</span>
            <small>{{ one.message }}</small>
          </li>
          <li v-for="(one, i) in data.diagnostics" :key="`d${i}`">
            <span class="state" :class="one.level === 'error' ? 'bad' : 'warn'">{{
              one.level
            }}</span>
            {{ one.message }}
            <small class="mono">{{ one.place }} : {{ one.line }} {{ one.excerpt }}</small>
          </li>
          <li v-if="data.placeholders">
            <span class="state warn">not scanned</span>
            {{ plural(data.placeholders, 'dataset') }}
          </li>
        </ul>
      </section>
      <section>
        <h2>What was brought in</h2>
        <table>
          <tbody>
            <tr v-for="(one, i) in data.ingestions.slice(0, 7)" :key="i">
              <td>{{ one.kind }}</td>
              <td>{{ name(one.subject) }}</td>
              <td>
                <span v-if="one.state === 'failed'" class="state bad">failed</span>
                <span v-else-if="one.state === 'running'" class="state warn">at work</span>
                <template v-else-if="Object.keys(one.changed).length === 0">no change</template>
                <template v-else>{{ plural(one.changed.links ?? 0, 'new link') }}</template>
              </td>
              <td class="mute" :title="exact(one.finished_at ?? one.started_at)">
                {{ ago(one.finished_at ?? one.started_at) }}
              </td>
            </tr>
          </tbody>
        </table>
      </section>
      <section>
        <h2>Definitions that changed</h2>
        <p v-if="!data.changes.length" class="mute">None since they were first read.</p>
        <table v-else>
          <tbody>
            <tr v-for="(one, i) in data.changes" :key="i">
              <td class="mono">{{ one.place }}</td>
              <td>version {{ one.version }}</td>
              <td class="mute" :title="exact(one.at)">{{ ago(one.at) }}</td>
            </tr>
          </tbody>
        </table>
      </section>
      <section>
        <h2>Reports</h2>
        <ul class="plain reports">
          <li v-for="row in data.reports" :key="row.id">
            <RouterLink :to="{ name: 'lineage', params: { dataset: String(row.id) } }">
              <KindGlyph kind="report" /> {{ row.title }}
            </RouterLink>
            <span class="mute">{{ plural(row.columns, 'element') }}</span>
          </li>
        </ul>
      </section>
    </template>
  </main>
</template>

<style scoped>
.overview {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  gap: 24px 36px;
  align-content: start;
  padding: 18px 24px 40px;
  overflow: auto;
}
.name {
  font-size: 16px;
}
.wide,
.empty {
  grid-column: 1 / -1;
}
h2 {
  font-size: 11px;
  color: var(--mute);
  border-bottom: 2px solid var(--hair);
  padding-bottom: 4px;
  margin-bottom: 8px;
}
dl {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 4px 12px;
  margin: 0;
}
dd {
  margin: 0;
  text-align: right;
  font-weight: 600;
  white-space: nowrap;
}
.small,
small {
  font-size: 11px;
}
small {
  display: block;
  color: var(--mute);
  overflow-wrap: anywhere;
}
.gap {
  margin-right: 6px;
}
.good {
  color: var(--sign);
  margin: 0;
}
.plain {
  list-style: none;
  margin: 0;
  padding: 0;
}
.plain li {
  padding: 3px 0;
  border-bottom: 1px solid var(--hair);
}
.reports li {
  display: flex;
  justify-content: space-between;
}
.reports a {
  display: flex;
  gap: 7px;
  align-items: center;
  color: var(--ink);
}
table {
  width: 100%;
  border-collapse: collapse;
}
td {
  padding: 3px 8px 3px 0;
  border-bottom: 1px solid var(--hair);
  overflow-wrap: anywhere;
}
td.mute,
td + td {
  white-space: nowrap;
}
pre {
  background: var(--sheet);
  border: 1px solid var(--hair);
  padding: 12px 16px;
}
@media (width <= 1150px) {
  .overview {
    grid-template-columns: repeat(2, minmax(0, 1fr));
  }
}
</style>
