<script setup lang="ts">
import { onClickOutside, useDebounceFn, useEventListener } from '@vueuse/core'
import { computed, ref, useTemplateRef } from 'vue'
import { useRouter } from 'vue-router'
import { api, type Found } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import KindGlyph from '@/shared/components/KindGlyph.vue'

const router = useRouter()
const root = useTemplateRef<HTMLElement>('root')
const input = useTemplateRef<HTMLInputElement>('input')
const words = ref('')
const open = ref(false)
const at = ref(0)
/** The words that were last asked for: not every letter is. */
const asked = ref('')
const { data, error, loading } = useAsked(
  () => (asked.value ? ['find', asked.value] : null),
  (signal) => api.find(asked.value, signal),
)
const hits = computed(() => data.value ?? [])

const ask = useDebounceFn(() => {
  at.value = 0
  asked.value = words.value.trim()
}, 120)

function choose(found: Found | undefined) {
  if (!found) return
  open.value = false
  words.value = ''
  asked.value = ''
  input.value?.blur()
  const query = found.field === null ? {} : { field: String(found.field) }
  void router.push({ name: 'lineage', params: { dataset: String(found.dataset) }, query })
}

function move(by: number) {
  if (hits.value.length) at.value = (at.value + by + hits.value.length) % hits.value.length
}

onClickOutside(root, () => (open.value = false))
useEventListener(document, 'keydown', (event: KeyboardEvent) => {
  const typing = (event.target as HTMLElement).closest('input, textarea, [contenteditable]')
  if (event.key === '/' && !typing && !event.ctrlKey && !event.metaKey) {
    event.preventDefault()
    input.value?.focus()
  }
})
</script>

<template>
  <div ref="root" class="find">
    <input
      ref="input"
      v-model="words"
      type="search"
      role="combobox"
      aria-label="Find a dataset, column or report"
      aria-controls="find-hits"
      :aria-expanded="open && words !== ''"
      :aria-activedescendant="hits.length ? `hit-${at}` : undefined"
      placeholder="Find a dataset, column, report…"
      autocomplete="off"
      spellcheck="false"
      @input="((open = true), ask())"
      @focus="open = true"
      @keydown.down.prevent="move(1)"
      @keydown.up.prevent="move(-1)"
      @keydown.enter.prevent="choose(hits[at])"
      @keydown.esc="((open = false), input?.blur())"
    />
    <kbd v-if="!words">/</kbd>
    <div v-if="open && words.trim()" class="drop">
      <p v-if="error" class="note bad">{{ error }}</p>
      <p v-else-if="loading && !data" class="note">Looking…</p>
      <p v-else-if="data && !hits.length" class="note">
        Nothing is called “{{ words }}”. Names, descriptions and owners are searched.
      </p>
      <ul id="find-hits" role="listbox" aria-label="Hits">
        <li
          v-for="(hit, i) in hits"
          :id="`hit-${i}`"
          :key="`${hit.dataset}-${hit.field}`"
          role="option"
          :aria-selected="i === at"
          :class="{ at: i === at }"
          @mouseenter="at = i"
          @click="choose(hit)"
        >
          <KindGlyph :kind="hit.dataset_kind" />
          <span class="what">
            <b :class="{ mono: hit.kind === 'field' }">{{ hit.title }}</b>
            <small>{{ hit.path }}</small>
          </span>
          <span class="why">{{ hit.why === 'name' ? hit.dataset_kind : hit.why }}</span>
        </li>
      </ul>
    </div>
  </div>
</template>

<style scoped>
.find {
  position: relative;
  flex: 0 0 262px;
}
input {
  width: 100%;
  border: 1px solid var(--hair);
  background: var(--sheet);
  border-radius: 3px;
  padding: 5px 9px;
}
input::placeholder {
  color: var(--mute);
  opacity: 1;
}
input::-webkit-search-cancel-button {
  display: none;
}
kbd {
  position: absolute;
  right: 8px;
  top: 7px;
  pointer-events: none;
}
.drop {
  position: absolute;
  z-index: 30;
  top: calc(100% + 4px);
  left: 0;
  width: 460px;
  max-height: 70vh;
  overflow: auto;
  background: var(--sheet);
  border: 1px solid var(--hair-strong);
  border-radius: 3px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: flex;
  gap: 9px;
  align-items: center;
  padding: 6px 10px;
  cursor: pointer;
  border-left: 3px solid transparent;
}
li.at {
  background: var(--sign-wash);
  border-left-color: var(--sign);
}
.what {
  flex: 1;
  min-width: 0;
  display: grid;
}
.what b {
  font-weight: 600;
}
.what b.mono {
  font-weight: 400;
}
.what small,
.why {
  color: var(--mute);
  font-size: 11px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.note {
  margin: 0;
  padding: 10px 12px;
  color: var(--mute);
}
.bad {
  color: var(--brick);
}
</style>
