import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import type { IngestionFact } from '../src/api/client'
import { lasting, share, until } from '../src/shared/format/humane'
import ConfigForm from '../src/features/sources/ConfigForm.vue'
import CoverageStroke from '../src/features/sources/CoverageStroke.vue'
import { fieldsOf, fromText, toText, type JsonSchema } from '../src/features/sources/schemaForm'
import { changed, found, fraction, stateWord } from '../src/features/sources/words'

const schema: JsonSchema = {
  properties: {
    kind: { const: 'history', type: 'string' },
    format: { enum: ['csv', 'jsonl'] },
    port: { type: 'integer', default: 5432 },
    password: { anyOf: [{ type: 'string', format: 'password' }, { type: 'null' }], default: null },
    include: { type: 'array', items: { type: 'string' }, default: [] },
    aliases: { type: 'object', additionalProperties: { type: 'string' } },
    mapping: { anyOf: [{ $ref: '#/$defs/Mapping' }, { type: 'null' }] },
    rules: { type: 'array', items: { $ref: '#/$defs/Rule' } },
    keep: { type: 'boolean', default: false },
  },
  required: ['format'],
  $defs: {
    Mapping: { properties: { text: { type: 'string' } }, required: ['text'], description: 'Which' },
    Rule: { type: 'object' },
  },
}
const fields = Object.fromEntries(fieldsOf(schema).map((field) => [field.name, field]))

describe('a form made of a schema', () => {
  it('knows a field for each kind of value, and asks nothing that is constant', () => {
    expect(Object.fromEntries(Object.values(fields).map((f) => [f.name, f.kind]))).toEqual({
      format: 'choice',
      port: 'number',
      password: 'secret',
      include: 'lines',
      aliases: 'pairs',
      mapping: 'group',
      rules: 'json',
      keep: 'switch',
    })
    expect(fields.mapping?.fields.map((f) => [f.name, f.required])).toEqual([['text', true]])
    expect(fields.format?.initial).toBe('csv')
  })

  it.each([
    ['port', '6000', 6000],
    ['include', 'core\n mart \n', ['core', 'mart']],
    ['aliases', 'a:1 = b:2', { 'a:1': 'b:2' }],
    ['rules', '[{"rule": "ignore"}]', [{ rule: 'ignore' }]],
    ['password', ' x ', ' x '],
    ['port', '  ', undefined],
  ])('reads %s as it is meant, and shows it again', (name, text, value) => {
    const field = fields[name]!
    expect(fromText(field, text)).toEqual(value)
    expect(fromText(field, toText(field, value))).toEqual(value)
  })

  it.each([
    ['port', 'many', 'port: “many” is no number'],
    ['aliases', 'nothing', 'aliases: “nothing” has no “=”'],
    ['rules', '[', 'rules: this is no JSON'],
  ])('says what is wrong with %s', (name, text, message) => {
    expect(() => fromText(fields[name]!, text)).toThrow(message)
  })

  it('shows where a secret is, never what it is', async () => {
    const form = mount(ConfigForm, {
      props: {
        fields: fieldsOf(schema),
        modelValue: { format: 'csv' },
        kept: { password: 'kept' },
      },
    })
    const secret = form.find<HTMLInputElement>('#c-password')
    expect(secret.element.type).toBe('password')
    expect(secret.element.value).toBe('')
    expect(secret.element.placeholder).toBe('kept as it is unless you write another')
    await form.find('#c-port').setValue('60x')
    expect(form.emitted('problem')).toEqual([['port: “60x” is no number']])
    await form.find('#c-port').setValue('60')
    expect(form.emitted('update:modelValue')).toEqual([[{ format: 'csv', port: 60 }]])
  })
})

const run = {
  state: 'done',
  stopping: false,
  found: { tables: 1, queries: 2, triggers: 0 },
  changed: { statements: 9, links: 3, datasets: 1, jobs: 2 },
  progress: { what: 'links', done: 3, total: 4 },
} as unknown as IngestionFact

describe('ingestions in words', () => {
  it('counts what was found and names what changed first', () => {
    expect(found(run)).toBe('1 table, 2 queries')
    expect(found(null)).toBe('nothing yet')
    expect(changed(run)).toBe('1 dataset, 3 links, 9 statements')
    expect(changed({ ...run, changed: {} })).toBe('no change')
    expect(changed({ ...run, state: 'failed', message: 'cannot read' })).toBe('cannot read')
  })

  it('says how far it is, and that it is stopping', () => {
    expect(fraction(run)).toBe(0.75)
    expect(fraction({ ...run, progress: { what: 'x', done: 0, total: 0 } })).toBeNull()
    expect(stateWord({ ...run, state: 'running', stopping: true })).toBe('stopping')
    expect(stateWord({ ...run, state: 'cancelled' })).toBe('stopped')
  })

  it('never rounds a share to all or nothing', () => {
    expect([share(1), share(0.99999), share(0.0001), share(0), share(null)]).toEqual([
      '100 %',
      '99.9 %',
      '0.1 %',
      '0.0 %',
      'no texts',
    ])
    expect([lasting(0.42), lasting(75), lasting(7300)]).toEqual([
      '0.4 s',
      '1 min 15 s',
      '2 h 1 min',
    ])
    expect(until('2026-11-23T15:00:00Z', Date.parse('2026-11-23T12:00:00Z'))).toBe('in 3 h')
  })
})

it('shows coverage in three parts that differ without colour', () => {
  const coverage = { full: 8, part: 1, none: 1, columns: 9, resolved: 8, full_share: 0.8 }
  const stroke = mount(CoverageStroke, { props: { coverage } })
  expect(stroke.findAll('i').map((part) => part.classes()[0])).toEqual(['full', 'part', 'none'])
  expect(stroke.find('[role=img]').attributes('aria-label')).toBe(
    '10 statements: 8 read in full, 1 in part, 1 not at all',
  )
  expect(stroke.text()).toBe('80.0 %')
})
