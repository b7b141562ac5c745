/** What a form needs to know of a JSON Schema, as the API sends one for each kind of source. */
export interface JsonSchema {
  type?: string
  title?: string
  description?: string
  default?: unknown
  enum?: unknown[]
  const?: unknown
  format?: string
  minimum?: number
  maximum?: number
  pattern?: string
  items?: JsonSchema
  properties?: Record<string, JsonSchema>
  required?: string[]
  anyOf?: JsonSchema[]
  additionalProperties?: JsonSchema | boolean
  $ref?: string
  $defs?: Record<string, JsonSchema>
}

export type FieldKind =
  'text' | 'secret' | 'number' | 'switch' | 'choice' | 'lines' | 'pairs' | 'group' | 'json'

export interface FormField {
  name: string
  label: string
  kind: FieldKind
  required: boolean
  about: string
  choices: string[]
  initial: unknown
  fields: FormField[]
}

/** The fields of a schema, in its order; what is constant is no question. */
export function fieldsOf(schema: JsonSchema, root: JsonSchema = schema): FormField[] {
  return Object.entries(schema.properties ?? {})
    .filter(([, property]) => property.const === undefined)
    .map(([name, property]) =>
      fieldOf(name, property, root, schema.required?.includes(name) ?? false),
    )
}

function resolved(schema: JsonSchema, root: JsonSchema): JsonSchema {
  const name = schema.$ref?.split('/').at(-1)
  return name ? { ...root.$defs?.[name], ...schema } : schema
}

function fieldOf(name: string, given: JsonSchema, root: JsonSchema, required: boolean): FormField {
  const choice = given.anyOf?.find((one) => one.type !== 'null')
  const schema = resolved(choice ? { ...choice, default: given.default } : given, root)
  const kind = kindOf(schema)
  return {
    name,
    label: name.replaceAll('_', ' '),
    kind,
    required,
    about: given.description ?? schema.description ?? '',
    choices: (schema.enum ?? []).map(String),
    initial: given.default ?? (required && schema.enum ? schema.enum[0] : undefined),
    fields: kind === 'group' ? fieldsOf(schema, root) : [],
  }
}

function kindOf(schema: JsonSchema): FieldKind {
  if (schema.enum) return 'choice'
  if (schema.properties) return 'group'
  switch (schema.type) {
    case 'integer':
    case 'number':
      return 'number'
    case 'boolean':
      return 'switch'
    case 'array':
      return schema.items?.type === 'string' ? 'lines' : 'json'
    case 'object':
      return 'pairs'
    case 'string':
      return schema.format === 'password' ? 'secret' : 'text'
    default:
      return 'json'
  }
}

/** A value as it stands in its field. */
export function toText(field: FormField, value: unknown): string {
  if (value === undefined || value === null) return ''
  if (field.kind === 'lines') return (value as string[]).join('\n')
  if (field.kind === 'pairs')
    return Object.entries(value as Record<string, string>)
      .map(([key, one]) => `${key} = ${one}`)
      .join('\n')
  if (field.kind === 'json') return JSON.stringify(value, null, 2)
  return String(value)
}

/** What somebody wrote into a field as a value; undefined leaves it to the default. Throws what to tell. */
export function fromText(field: FormField, text: string): unknown {
  const written = text.trim()
  if (!written) return undefined
  const lines = written
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean)
  switch (field.kind) {
    case 'number': {
      const found = Number(written)
      if (Number.isNaN(found)) throw new Error(`${field.label}: “${written}” is no number`)
      return found
    }
    case 'lines':
      return lines
    case 'pairs':
      return Object.fromEntries(
        lines.map((line) => {
          const at = line.indexOf('=')
          if (at < 1) throw new Error(`${field.label}: “${line}” has no “=”`)
          return [line.slice(0, at).trim(), line.slice(at + 1).trim()]
        }),
      )
    case 'json':
      try {
        return JSON.parse(written) as unknown
      } catch (error) {
        throw new Error(`${field.label}: this is no JSON (${(error as Error).message})`, {
          cause: error,
        })
      }
    default:
      return field.kind === 'secret' ? text : written
  }
}
