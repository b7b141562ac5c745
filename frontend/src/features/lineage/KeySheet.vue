<script setup lang="ts">
const open = defineModel<boolean>({ required: true })
const keys = [
  ['/', 'find a dataset, column or report'],
  ['f', 'find within the road; Enter for the next one'],
  ['← → ↑ ↓', 'walk lanes and rows'],
  ['Enter', 'make the dataset here'],
  ['t', 'follow the trail of the column'],
  ['Shift t', 'add the column to the trail'],
  ['e', 'the code, open or closed'],
  ['n  p', 'next and previous step of the trail'],
  ['d', 'what depends on the column'],
  ['c', 'conditions as hairlines, hidden, in full'],
  ['b  B', 'one hop more or less upstream'],
  ['a  A', 'one hop more or less downstream'],
  ['h', 'what has happened, open or closed'],
  ['v', 'read as a table'],
  ['Esc', 'leave the trail'],
  ['?', 'this sheet'],
]
const LINES = [
  { kind: 'value', means: 'carries the value' },
  { kind: 'condition', means: 'only decides' },
  { kind: 'value possible', means: 'possible: the code does not say which column is meant' },
]
</script>

<template>
  <ElDialog v-model="open" title="Keys and lines" width="440">
    <dl>
      <template v-for="[key, does] in keys" :key="key">
        <dt>
          <kbd>{{ key }}</kbd>
        </dt>
        <dd>{{ does }}</dd>
      </template>
    </dl>
    <dl class="lines">
      <template v-for="line in LINES" :key="line.kind">
        <dt>
          <svg width="84" height="10" aria-hidden="true">
            <path d="M0 5h78" :class="line.kind" />
            <circle v-if="line.kind !== 'condition'" cx="80" cy="5" r="2.6" />
            <path v-else class="head" d="M77 1.500v7l6-3.500z" />
          </svg>
        </dt>
        <dd>{{ line.means }}</dd>
      </template>
    </dl>
  </ElDialog>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 110px 1fr;
  gap: 7px 10px;
  margin: 0;
}
dd {
  margin: 0;
}
.lines {
  margin-top: 12px;
  padding-top: 10px;
  border-top: 1px solid var(--hair);
}
path {
  fill: none;
}
.value {
  stroke: var(--sign);
  stroke-width: 1.6;
}
.condition {
  stroke: var(--cond);
}
.possible {
  stroke-dasharray: 5 4;
}
circle {
  fill: var(--sign);
}
.head {
  fill: var(--cond);
}
</style>
