<script setup lang="ts">
const open = defineModel<boolean>({ required: true })
const keys = [
  ['/', 'find a dataset, column or report'],
  ['← → ↑ ↓', 'walk lanes and rows'],
  ['Enter', 'make the dataset here'],
  ['t', 'follow the trail of the column'],
  ['Shift t', 'add the column to the trail'],
  ['e', 'the code, open or closed'],
  ['n  p', 'next and previous step of the trail'],
  ['d', 'what depends on the column'],
  ['c', 'conditions shown or hidden'],
  ['b  B', 'one hop more or less back'],
  ['a  A', 'one hop more or less ahead'],
  ['v', 'read as a table'],
  ['Esc', 'leave the trail'],
  ['?', 'this sheet'],
]
</script>

<template>
  <ElDialog v-model="open" title="Keys" width="440">
    <dl>
      <template v-for="[key, does] in keys" :key="key">
        <dt>
          <kbd>{{ key }}</kbd>
        </dt>
        <dd>{{ does }}</dd>
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
</style>
