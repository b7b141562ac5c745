<script setup lang="ts">
import { ref } from 'vue'
import { drawnAsPng, handOver, pictureOf } from '@/shared/format/picture'

/** What is shown, as a picture to keep. of: finds what is to be drawn. */
const props = defineProps<{ of: () => Element | null; name: string }>()
const busy = ref(false)
const refused = ref('')

async function keep(form: 'svg' | 'png') {
  const element = props.of()
  if (!element || busy.value) return
  busy.value = true
  refused.value = ''
  try {
    const picture = pictureOf(element, props.name)
    const file = props.name.replace(/[^\w.-]+/g, '-').slice(0, 80) || 'picture'
    const content =
      form === 'svg' ? new Blob([picture], { type: 'image/svg+xml' }) : await drawnAsPng(picture)
    handOver(content, `${file}.${form}`)
  } catch (reason) {
    refused.value = reason instanceof Error ? reason.message : 'The picture could not be drawn.'
  }
  busy.value = false
}
</script>

<template>
  <span class="pictures">
    picture as
    <button class="link" :disabled="busy" @click="keep('svg')">SVG</button>
    <button class="link" :disabled="busy" @click="keep('png')">PNG</button>
    <span v-if="refused" class="state bad" role="alert">{{ refused }}</span>
  </span>
</template>

<style scoped>
.pictures {
  display: inline-flex;
  gap: 8px;
  color: var(--mute);
}
</style>
