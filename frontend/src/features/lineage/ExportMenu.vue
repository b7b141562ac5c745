<script setup lang="ts">
import { computed, ref } from 'vue'
import { api, type DatasetFacts } from '@/api/client'
import PictureLinks from '@/shared/components/PictureLinks.vue'
import { useAsked } from '@/shared/composables/useAsked'
import { ALL } from './useAddress'

/** Hands the graph on in an open format: the part around a dataset as it is shown, or all of it. */
const props = defineProps<{
  facts: DatasetFacts
  upstream: number
  downstream: number
  /** The fields whose trail is shown, if it is one. */
  fields: number[]
}>()

const open = ref(false)
const whole = ref(false)
const { data: formats, error } = useAsked(
  () => (open.value ? ['export formats'] : null),
  api.exportFormats,
)
const part = computed(() => {
  const hops = (count: number) => (count >= ALL ? 'all the way' : String(count))
  return `${hops(props.upstream)} upstream, ${hops(props.downstream)} downstream`
})
const shown = () => document.querySelector('.stage')
const query = computed(() =>
  whole.value
    ? ''
    : `?${new URLSearchParams({
        around: String(props.facts.id),
        upstream: String(props.upstream),
        downstream: String(props.downstream),
      })}`,
)
/** The road drawn by the server, all of its lanes open. */
const drawn = computed(() => {
  const { downstream, facts, fields, upstream } = props
  if (fields.length) return `/api/v1/trail/picture?${fields.map((one) => `field=${one}`).join('&')}`
  return `/api/v1/datasets/${facts.id}/lanes/picture?upstream=${upstream}&downstream=${downstream}`
})
</script>

<template>
  <ElPopover v-model:visible="open" trigger="click" :width="280" placement="bottom-end">
    <template #reference>
      <button :aria-expanded="open">export</button>
    </template>
    <div class="export" @keydown.esc.stop="open = false">
      <label><input v-model="whole" type="radio" :value="false" /> this part: {{ part }}</label>
      <label><input v-model="whole" type="radio" :value="true" /> the whole graph</label>
      <p v-if="error" class="state bad" role="alert">{{ error }}</p>
      <p class="shown">
        <PictureLinks :of="shown" :name="`Lineage of ${facts.title}`" /> of what is shown;
        <a class="drawn" :href="drawn" download @click="open = false">SVG</a> of all lanes
      </p>
      <ul>
        <li v-for="form in formats ?? []" :key="form.name">
          <a :href="`/api/v1/export/${form.name}${query}`" download @click="open = false">{{
            form.title
          }}</a>
          <small>{{ form.about }}</small>
        </li>
      </ul>
    </div>
  </ElPopover>
</template>

<style scoped>
.drawn {
  text-decoration: underline;
}
.export {
  font-size: 12px;
  color: var(--ink);
}
label {
  display: flex;
  gap: 6px;
  align-items: center;
  padding: 2px 0;
}
ul {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
}
li {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  padding: 3px 0;
  border-top: 1px solid var(--hair);
}
.shown {
  margin: 8px 0 0;
  color: var(--mute);
}
small {
  color: var(--mute);
  font-size: 11px;
}
</style>
