<script setup lang="ts">
import { fromText, toText, type FormField } from './schemaForm'

/** A form for a configuration. `problem` tells what cannot be taken as it is written. */
const props = defineProps<{
  fields: FormField[]
  modelValue: Record<string, unknown>
  kept: Record<string, string>
  path?: string
}>()
const emit = defineEmits<{
  'update:modelValue': [value: Record<string, unknown>]
  problem: [text: string | null]
}>()

function put(field: FormField, value: unknown) {
  const next = { ...props.modelValue }
  if (value === undefined) delete next[field.name]
  else next[field.name] = value
  emit('update:modelValue', next)
}
function write(field: FormField, event: Event) {
  const text = (event.target as HTMLInputElement).value
  try {
    put(field, fromText(field, text))
    emit('problem', null)
  } catch (error) {
    emit('problem', (error as Error).message)
  }
}
function isGiven(field: FormField): boolean {
  return props.modelValue[field.name] != null
}
function shown(field: FormField): string {
  return toText(field, props.modelValue[field.name])
}
function hint(field: FormField): string {
  const where = props.kept[`${props.path ?? ''}${field.name}`]
  if (field.kind === 'secret' && where) {
    if (where === 'unreadable') return 'sealed with another key: give it again'
    return where === 'kept' ? 'kept as it is unless you write another' : where
  }
  return field.initial === undefined || field.initial === null ? '' : toText(field, field.initial)
}
</script>

<template>
  <div class="form">
    <template v-for="field in fields" :key="field.name">
      <fieldset v-if="field.kind === 'group'">
        <legend>
          <label v-if="!field.required">
            <input
              type="checkbox"
              :checked="isGiven(field)"
              @change="put(field, isGiven(field) ? undefined : {})"
            />
            {{ field.label }}
          </label>
          <template v-else>{{ field.label }}</template>
        </legend>
        <p class="about">{{ field.about }}</p>
        <ConfigForm
          v-if="field.required || isGiven(field)"
          :fields="field.fields"
          :model-value="(modelValue[field.name] as Record<string, unknown>) ?? {}"
          :kept="kept"
          :path="`${path ?? ''}${field.name}.`"
          @update:model-value="put(field, $event)"
          @problem="emit('problem', $event)"
        />
      </fieldset>
      <div v-else class="field">
        <label :for="`c-${path ?? ''}${field.name}`">
          {{ field.label }}<b v-if="field.required" title="needed"> *</b>
        </label>
        <div>
          <select
            v-if="field.kind === 'choice'"
            :id="`c-${path ?? ''}${field.name}`"
            :value="shown(field) || toText(field, field.initial)"
            @change="write(field, $event)"
          >
            <option v-for="choice in field.choices" :key="choice">{{ choice }}</option>
          </select>
          <input
            v-else-if="field.kind === 'switch'"
            :id="`c-${path ?? ''}${field.name}`"
            type="checkbox"
            :checked="Boolean(modelValue[field.name] ?? field.initial)"
            @change="put(field, ($event.target as HTMLInputElement).checked)"
          />
          <textarea
            v-else-if="['lines', 'pairs', 'json'].includes(field.kind)"
            :id="`c-${path ?? ''}${field.name}`"
            :rows="field.kind === 'json' ? 5 : 2"
            :value="shown(field)"
            :placeholder="hint(field)"
            spellcheck="false"
            @change="write(field, $event)"
          ></textarea>
          <input
            v-else
            :id="`c-${path ?? ''}${field.name}`"
            :type="field.kind === 'secret' ? 'password' : 'text'"
            :inputmode="field.kind === 'number' ? 'numeric' : undefined"
            :value="shown(field)"
            :placeholder="hint(field)"
            autocomplete="off"
            spellcheck="false"
            @input="write(field, $event)"
          />
          <p v-if="field.about" class="about">
            {{ field.about }}
            <template v-if="field.kind === 'lines'">One a line.</template>
            <template v-if="field.kind === 'pairs'">One a line, as name = value.</template>
          </p>
        </div>
      </div>
    </template>
  </div>
</template>

<style scoped>
.form {
  display: grid;
  gap: 8px;
}
.field {
  display: grid;
  grid-template-columns: 140px minmax(0, 1fr);
  gap: 10px;
  align-items: start;
}
label {
  color: var(--mute);
  padding-top: 4px;
}
b {
  color: var(--brick);
}
input:not([type='checkbox']),
select,
textarea {
  width: 100%;
  border: 1px solid var(--hair-strong);
  border-radius: 3px;
  background: var(--sheet);
  padding: 4px 8px;
  font-family: var(--mono);
  font-variant-ligatures: none;
  font-size: 12px;
}
input::placeholder,
textarea::placeholder {
  color: var(--mute);
  opacity: 0.9;
}
.about {
  margin: 1px 0 0;
  font-size: 11px;
  color: var(--mute);
}
fieldset {
  border: 0;
  border-left: 2px solid var(--hair);
  margin: 4px 0;
  padding: 0 0 0 12px;
  min-width: 0;
}
legend {
  padding: 0;
  font-weight: 600;
}
</style>
