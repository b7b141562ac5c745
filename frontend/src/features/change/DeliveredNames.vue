<script setup lang="ts">
import { api } from '@/api/client'
import OfferedNames from './OfferedNames.vue'
import TakenName from './TakenName.vue'

/** Relations into which other rows come from outside, and columns into which other values do. */
const props = defineProps<{ names: string[]; database: string | undefined }>()
const emit = defineEmits<{ change: [names: string[]] }>()

/** Behind the words of a table's name may stand those of a column's. */
async function find(words: string, signal: AbortSignal) {
  const wanted = words.toLowerCase().trim().split(/\s+/)
  const tables = await api.changeTables(wanted[0] ?? '', props.database, signal)
  return Object.entries(tables)
    .flatMap(([name, columns]) => [name, ...columns.map((one) => `${name}.${one}`)])
    .filter((one) => wanted.every((word) => one.toLowerCase().includes(word)))
}
</script>

<template>
  <TakenName
    v-for="name in names"
    :key="name"
    :name="name"
    :label="`take back ${name}`"
    @back="
      emit(
        'change',
        names.filter((one) => one !== name),
      )
    "
  />
  <OfferedNames
    what="change tables"
    placeholder="a table: other rows; a column: other values…"
    label="Find what would be delivered otherwise"
    offered="Tables and columns"
    none="No table or column has these words."
    :taken="names"
    :database="database"
    :find="find"
    @take="(name) => emit('change', [...names, name])"
  />
</template>
