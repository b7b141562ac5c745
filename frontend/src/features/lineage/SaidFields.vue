<script setup lang="ts">
/** Why something is declared and who says so, with the button that declares it. */
const because = defineModel<string>('because', { required: true })
const by = defineModel<string>('by', { required: true })
defineProps<{ busy: boolean; ready: boolean }>()
</script>

<template>
  <label>because <input v-model="because" required maxlength="1000" /></label>
  <label>says <input v-model="by" required maxlength="200" placeholder="who" /></label>
  <button class="act" :disabled="busy || !ready || !because.trim() || !by.trim()">
    {{ busy ? 'Declaring…' : 'Declare it' }}
  </button>
</template>
