import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

export type Schemas = components['schemas']
export type Road = Schemas['Road']
export type DatasetBrief = Schemas['DatasetBrief']
export type DatasetFacts = Schemas['DatasetFacts']
export type ColumnFact = Schemas['ColumnFact']
export type FieldBrief = Schemas['FieldBrief']
export type Crossing = Schemas['Crossing']
export type Evidence = Schemas['Evidence']
export type Dependents = Schemas['Dependents']
export type Dependent = Schemas['Dependent']
export type Found = Schemas['Found']
export type CatalogPage = Schemas['CatalogPage']
export type Overview = Schemas['Overview']
export type Beyond = Schemas['Beyond']

const client = createClient<paths>({ baseUrl: '' })

/** What the API answered instead of data, in words that a person can act on. */
export class ApiError extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message)
  }
}

type Answer<T> = { data?: T; error?: unknown; response: Response }

async function unwrap<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>
  try {
    answer = await asked
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error
    throw new ApiError('The server does not answer. Is it still running?', 0)
  }
  if (answer.data !== undefined) return answer.data
  const problem = answer.error as { detail?: string } | undefined
  throw new ApiError(
    problem?.detail ?? `The server answered ${answer.response.status}.`,
    answer.response.status,
  )
}

export interface LaneOptions {
  back: number
  ahead: number
  conditions: boolean
}

export const api = {
  overview: () => unwrap(client.GET('/api/v1/overview')),
  find: (q: string, signal?: AbortSignal) =>
    unwrap(client.GET('/api/v1/find', { params: { query: { q, limit: 12 } }, signal })),
  catalog: (query: NonNullable<paths['/api/v1/catalog']['get']['parameters']['query']>) =>
    unwrap(client.GET('/api/v1/catalog', { params: { query } })),
  dataset: (dataset: number) =>
    unwrap(client.GET('/api/v1/datasets/{dataset}', { params: { path: { dataset } } })),
  lanes: (dataset: number, query: LaneOptions) =>
    unwrap(
      client.GET('/api/v1/datasets/{dataset}/lanes', { params: { path: { dataset }, query } }),
    ),
  trail: (field: number[], conditions: boolean) =>
    unwrap(client.GET('/api/v1/trail', { params: { query: { field, conditions } } })),
  evidence: (link: number) =>
    unwrap(client.GET('/api/v1/links/{link}/evidence', { params: { path: { link } } })),
  dependents: (field: number, conditions: boolean) =>
    unwrap(
      client.GET('/api/v1/fields/{field}/dependents', {
        params: { path: { field }, query: { conditions } },
      }),
    ),
}
