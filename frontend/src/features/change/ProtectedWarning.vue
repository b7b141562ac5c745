<script setup lang="ts">
/** Asks whether it is meant, before something is taken over into a baseline that is protected. */
defineProps<{ name: string }>()
const emit = defineEmits<{ confirm: []; leave: [] }>()
</script>

<template>
  <p class="state warn" role="alert">
    {{ name }} is protected. What is taken over stands there from now on, with your name.
    <button class="link" @click="emit('confirm')">take it over all the same</button>
    <button class="link" @click="emit('leave')">leave it</button>
  </p>
</template>

<style scoped>
p {
  margin: 3px 0;
}
.link {
  margin-left: 10px;
}
</style>
