<script setup lang="ts">
/** One name of a proposal, with what else is to say of it; to be taken back where a label says so. */
defineProps<{ name: string; label?: string }>()
const emit = defineEmits<{ back: [] }>()
</script>

<template>
  <p class="one">
    <slot
      ><span class="mono">{{ name }}</span></slot
    >
    <slot name="more" />
    <button v-if="label" class="link back" :aria-label="label" @click="emit('back')">
      take back
    </button>
  </p>
</template>

<style scoped>
.one {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  margin: 4px 0;
  font-size: 12px;
}
.one > :first-child {
  flex: 1;
  text-align: left;
  overflow-wrap: anywhere;
}
.back {
  white-space: nowrap;
}
</style>
