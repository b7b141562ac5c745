<script setup lang="ts">
import {
  acceptCompletion,
  autocompletion,
  closeBrackets,
  type CompletionContext,
  type CompletionResult,
} from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands'
import { PostgreSQL, sql } from '@codemirror/lang-sql'
import { HighlightStyle, bracketMatching, syntaxHighlighting } from '@codemirror/language'
import { lintGutter, setDiagnostics } from '@codemirror/lint'
import { EditorState, StateEffect, StateField } from '@codemirror/state'
import { Decoration, EditorView, drawSelection, keymap, lineNumbers } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { onBeforeUnmount, onMounted, useTemplateRef, watch } from 'vue'

/** SQL to be written: problems are underlined where they stand, a stretch can be marked, names are completed. */
export interface Problem {
  start: number
  end: number
  level: string
  message: string
}
const props = defineProps<{
  label: string
  problems: Problem[]
  marked: [number, number] | null
  complete: (word: string) => Promise<{ name: string; kind: string }[]>
}>()
const written = defineModel<string>({ required: true })
const emit = defineEmits<{ at: [place: number] }>()
const host = useTemplateRef<HTMLElement>('host')
let view: EditorView | null = null

const setMarked = StateEffect.define<[number, number] | null>()
const marks = StateField.define({
  create: () => Decoration.none,
  update(found, change) {
    let now = found.map(change.changes)
    for (const effect of change.effects)
      if (effect.is(setMarked)) {
        const [from, to] = effect.value ?? [0, 0]
        now =
          from < to
            ? Decoration.set(Decoration.mark({ class: 'marked' }).range(from, to))
            : Decoration.none
      }
    return now
  },
  provide: (field) => EditorView.decorations.from(field),
})
const colours = HighlightStyle.define([
  { tag: tags.keyword, color: 'var(--sign)' },
  { tag: [tags.string, tags.number, tags.bool], color: 'var(--amber)' },
  { tag: tags.comment, color: 'var(--mute)', fontStyle: 'italic' },
  { tag: tags.typeName, color: 'var(--cond)' },
])
const look = EditorView.theme({
  '&': {
    fontSize: '12px',
    background: 'var(--sheet)',
    border: '1px solid var(--hair)',
    borderRadius: '3px',
  },
  '&.cm-focused': { outline: '2px solid var(--sign)', outlineOffset: '-2px' },
  '.cm-scroller': { font: '12px/1.6 var(--mono)', overflow: 'auto' },
  '.cm-content': { caretColor: 'var(--ink)' },
  '.cm-gutters': { background: 'var(--sheet)', color: 'var(--mute)', border: '0' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-tooltip': {
    background: 'var(--sheet)',
    color: 'var(--ink)',
    border: '1px solid var(--hair-strong)',
  },
  '.cm-tooltip-autocomplete ul li[aria-selected]': {
    background: 'var(--sign)',
    color: 'var(--sign-ink)',
  },
  '.marked': { background: 'var(--mark)' },
  '.cm-selectionBackground': { background: 'var(--sign-wash)' },
})

/** What an offset of the server, in characters, is in the editor, which counts as JavaScript does; and back. */
function placeOf(text: string, offset: number): number {
  let at = 0
  for (let n = 0; n < offset && at < text.length; n += 1)
    at += (text.codePointAt(at) ?? 0) > 0xffff ? 2 : 1
  return at
}
async function offered(context: CompletionContext): Promise<CompletionResult | null> {
  const word = context.matchBefore(/[\w.]+/)
  if (!word || (word.from === word.to && !context.explicit)) return null
  const dot = word.text.lastIndexOf('.')
  const found = await props.complete(word.text)
  return {
    from: word.from + dot + 1,
    options: found.map((one) => ({
      label: dot < 0 ? one.name : (one.name.split('.').pop() ?? one.name),
      detail: one.kind,
      apply: dot < 0 ? one.name : undefined,
    })),
  }
}
function underline() {
  if (!view) return
  const text = view.state.doc.toString()
  const found = props.problems.map((one) => {
    const from = placeOf(text, one.start)
    return {
      from,
      to: Math.max(from, placeOf(text, one.end)),
      severity: one.level === 'error' ? ('error' as const) : ('warning' as const),
      message: one.message,
    }
  })
  view.dispatch(setDiagnostics(view.state, found))
}
function mark() {
  if (!view) return
  const text = view.state.doc.toString()
  const place = props.marked && props.marked.map((one) => placeOf(text, one))
  const effects: StateEffect<unknown>[] = [
    setMarked.of(place ? [place[0] ?? 0, place[1] ?? 0] : null),
  ]
  if (place) effects.push(EditorView.scrollIntoView(place[0] ?? 0, { y: 'nearest' }))
  view.dispatch({ effects })
}

onMounted(() => {
  if (!host.value) return
  view = new EditorView({
    parent: host.value,
    state: EditorState.create({
      doc: written.value,
      extensions: [
        lineNumbers(),
        history(),
        drawSelection(),
        bracketMatching(),
        closeBrackets(),
        sql({ dialect: PostgreSQL }),
        syntaxHighlighting(colours),
        autocompletion({ override: [offered] }),
        // Tab takes what is offered, and otherwise leaves the editor, as everywhere on the page.
        keymap.of([{ key: 'Tab', run: acceptCompletion }, ...defaultKeymap, ...historyKeymap]),
        lintGutter(),
        marks,
        look,
        EditorView.contentAttributes.of({
          'aria-label': props.label,
          spellcheck: 'false',
          tabindex: '0',
        }),
        EditorView.updateListener.of((update) => {
          if (update.docChanged) written.value = update.state.doc.toString()
          if (update.selectionSet) emit('at', update.state.selection.main.head)
        }),
      ],
    }),
  })
  underline()
  mark()
})
onBeforeUnmount(() => view?.destroy())
watch(written, (text) => {
  if (view && text !== view.state.doc.toString())
    view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } })
})
watch(() => props.problems, underline)
watch(() => props.marked, mark)
</script>

<template>
  <div ref="host" class="editor" />
</template>

<style scoped>
.editor {
  min-height: 0;
  overflow: hidden;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
}
.editor :deep(.cm-editor) {
  min-height: 0;
  height: 100%;
}
</style>
