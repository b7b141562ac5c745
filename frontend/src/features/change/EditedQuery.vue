<script setup lang="ts">
import SubjectName from './SubjectName.vue'
import type { Proposal } from '@/api/client'
import RowSample from './RowSample.vue'
import type { Edit } from './consequences'

/** What differs between the query that a view has and the one that it would get; with rows, where it is known how
 * it would be proposed. */
defineProps<{ edit: Edit; proposal?: Proposal }>()
</script>

<template>
  <div class="edit">
    <div class="head">
      <span class="subject">
        <SubjectName :subject="edit.subject" :dataset="edit.dataset" />
      </span>
      <span class="state" :class="edit.safe ? 'mute' : 'warn'">{{
        edit.safe ? '✓ safe' : '∼ not safe'
      }}</span>
      <span>{{ edit.sentence }}</span>
    </div>
    <dl v-if="edit.columns.length || edit.rows.length" class="mono">
      <template v-for="one in edit.columns" :key="one.name + one.kind">
        <dt>{{ one.name }}</dt>
        <dd>
          <span v-if="one.kind === 'retyped'" class="mute">type</span>
          <del v-if="one.before">{{ one.before }}</del>
          <ins v-if="one.after">{{ one.after }}</ins>
          <span v-if="!one.before && !one.after">{{ one.kind }}</span>
        </dd>
      </template>
      <template v-for="one in edit.rows" :key="one.part">
        <dt class="mute">{{ one.part }}</dt>
        <dd>
          <del v-for="text in one.went" :key="text">{{ text }}</del>
          <ins v-for="text in one.came" :key="text">{{ text }}</ins>
          <span v-if="!one.went.length && !one.came.length">put together otherwise</span>
        </dd>
      </template>
    </dl>
    <RowSample v-if="proposal" :proposal="proposal" :subject="edit.subject" />
  </div>
</template>

<style scoped>
.edit {
  border-bottom: 1px solid var(--hair);
  padding: 2px 0 6px;
}
.head {
  display: flex;
  gap: 12px;
  align-items: baseline;
  margin: 4px 0;
}
.subject {
  overflow-wrap: anywhere;
}
.state {
  white-space: nowrap;
}
dl {
  display: grid;
  grid-template-columns: 104px minmax(0, 1fr);
  gap: 3px 12px;
  margin: 0;
  font-size: 12px;
}
dt,
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
del,
ins {
  display: block;
  text-decoration: none;
}
del::before {
  content: '− ';
}
ins::before {
  content: '+ ';
}
del {
  color: var(--mute);
}
</style>
