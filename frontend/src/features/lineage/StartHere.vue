<script setup lang="ts">
import { api } from '@/api/client'
import KindGlyph from '@/shared/components/KindGlyph.vue'
import { plural } from '@/shared/format/humane'
import { useAsked } from '@/shared/composables/useAsked'

const { data, error } = useAsked(['catalog', 'reports'], (signal) =>
  api.catalog({ kind: ['report'], limit: 30 }, signal),
)
</script>

<template>
  <div class="start">
    <h1>Where does this number come from?</h1>
    <p>
      Find a dataset, column or report with <kbd>/</kbd>, or start at a report and walk upstream
      along the road its data takes.
    </p>
    <p v-if="error" class="state bad" role="alert">{{ error }}</p>
    <ul v-else-if="data?.items.length">
      <li v-for="row in data.items" :key="row.id">
        <RouterLink :to="{ name: 'lineage', params: { dataset: String(row.id) } }">
          <KindGlyph :kind="row.kind" />
          <span>
            <b>{{ row.title }}</b>
            <small
              >{{ row.owner }}, {{ plural(row.columns, 'element') }},
              {{ plural(row.upstream, 'dataset') }} upstream</small
            >
          </span>
        </RouterLink>
      </li>
    </ul>
    <p v-else-if="data" class="mute">
      No reports are loaded yet. <code>jalan load FOLDER</code> reads them; the
      <RouterLink to="/catalog">catalog</RouterLink> has everything else.
    </p>
  </div>
</template>

<style scoped>
.start {
  padding: 34px 40px;
  max-width: 900px;
}
h1 {
  font-size: 20px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 20px 0 0;
  columns: 2;
  column-gap: 40px;
}
li {
  break-inside: avoid;
  border-top: 1px solid var(--hair);
}
a {
  display: flex;
  gap: 10px;
  padding: 9px 0;
  color: var(--ink);
  align-items: center;
}
a:hover {
  text-decoration: none;
}
a:hover b {
  color: var(--sign);
}
small {
  display: block;
  color: var(--mute);
}
b {
  font-weight: 600;
}
</style>
