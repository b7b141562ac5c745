<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { api, type DatasetFacts } from '@/api/client'
import { useAttempt } from '@/shared/composables/useAttempt'
import { useAsked } from '@/shared/composables/useAsked'
import SaidFields from './SaidFields.vue'
import './declaring.css'

/** Declares somebody or something that reads this dataset and that nobody can scan. */
const props = defineProps<{ facts: DatasetFacts }>()
const emit = defineEmits<{ done: []; leave: [] }>()
const name = ref('')
const owner = ref('')
const about = ref('')
const fields = ref<number[]>([])
const because = ref('')
const by = ref('')
const { problem, busy, attempt } = useAttempt()

const { data: declared } = useAsked(['declarations'], api.declarations)
/** Consumers that are declared already, with their owners: they may read this one too. */
const known = computed(
  () =>
    new Map(
      (declared.value ?? [])
        .filter((one) => one.kind === 'consumer')
        .map((one) => [one.target, one.owner ?? '']),
    ),
)
const its = computed(() => known.value.get(name.value.trim()))
watch(its, (found) => {
  if (found !== undefined) owner.value = found
})

async function declare() {
  const made = await attempt(() =>
    api.declareConsumer({
      name: name.value,
      owner: owner.value,
      description: about.value || null,
      dataset: props.facts.id,
      fields: fields.value,
      because: because.value,
      by: by.value,
    }),
  )
  if (made) emit('done')
}
</script>

<template>
  <form class="declaring" @submit.prevent="declare">
    <h4>It is read by somebody or something that nobody can scan</h4>
    <p v-if="problem" class="state bad" role="alert">{{ problem }}</p>
    <label>
      name
      <input v-model="name" list="consumers" required maxlength="200" placeholder="Morning sheet" />
    </label>
    <datalist id="consumers">
      <option v-for="one in known.keys()" :key="one" :value="one" />
    </datalist>
    <label>
      owner
      <input v-model="owner" required maxlength="200" :readonly="its !== undefined" />
    </label>
    <label v-if="its === undefined">
      about <input v-model="about" maxlength="1000" placeholder="what it is for" />
    </label>
    <fieldset>
      <legend>
        {{ fields.length ? `${fields.length} of its columns` : 'all of its columns' }}
      </legend>
      <span v-for="column in facts.columns" :key="column.id">
        <input :id="`reads-${column.id}`" v-model="fields" type="checkbox" :value="column.id" />
        <label :for="`reads-${column.id}`" class="mono">{{ column.name }}</label>
      </span>
    </fieldset>
    <SaidFields
      v-model:because="because"
      v-model:by="by"
      :busy="busy"
      :ready="!!name.trim() && !!owner.trim()"
    />
    <button type="button" class="link" @click="emit('leave')">leave it</button>
  </form>
</template>

<style scoped>
fieldset {
  border: 0;
  padding: 0;
  margin: 0 0 4px;
  max-height: 110px;
  overflow: auto;
}
legend {
  color: var(--mute);
  padding: 0;
}
span {
  display: flex;
  gap: 6px;
  align-items: center;
}
span label {
  display: inline;
  margin: 0;
  color: var(--ink);
}
</style>
