import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

export type Schemas = components['schemas']
export type LineageMap = Schemas['LineageMap']
export type DatasetBrief = Schemas['DatasetBrief']
export type DatasetFacts = Schemas['DatasetFacts']
export type ColumnFact = Schemas['ColumnFact']
export type FieldBrief = Schemas['FieldBrief']
export type Crossing = Schemas['Crossing']
export type Bundle = Schemas['Bundle']
export type FacetPage = Schemas['FacetPage']
export type Evidence = Schemas['Evidence']
export type Story = Schemas['Story']
export type Step = Schemas['Step']
export type Within = Schemas['Within']
export type WithinMatch = Schemas['WithinMatch']
export type Dependents = Schemas['Dependents']
export type Dependent = Schemas['Dependent']
export type Found = Schemas['Found']
export type CatalogPage = Schemas['CatalogPage']
export type Overview = Schemas['Overview']
export type Beyond = Schemas['Beyond']
export type SourceFact = Schemas['SourceFact']
export type IngestionFact = Schemas['IngestionFact']
export type CoverageFact = Schemas['CoverageFact']
export type UnreadPage = Schemas['UnreadPage']
export type KindFact = Schemas['KindFact']
export type Preview = Schemas['Preview']
export type SourceIn = Schemas['SourceIn']
export type DeclarationFact = Schemas['DeclarationFact']

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
  // Where there is nothing to say the body is empty.
  if (answer.response.ok) return answer.data as T
  const problem = answer.error as { detail?: string } | undefined
  throw new ApiError(
    problem?.detail ?? `The server answered ${answer.response.status}.`,
    answer.response.status,
  )
}

/** Which part of a crowded lane is wanted: `lane:count` and `lane:words`. */
export interface PartOptions {
  shown: string[]
  named: string[]
  /** The time that is asked about; now without one. */
  as_of?: string
}

export interface LaneOptions extends PartOptions {
  upstream: number
  downstream: number
  conditions: boolean
}

/** What would change: SQL, texts that do not run, texts that are otherwise. */
export type Proposal = Schemas['ChangeIn']

export const api = {
  overview: (signal?: AbortSignal) => unwrap(client.GET('/api/v1/overview', { signal })),
  find: (q: string, signal?: AbortSignal) =>
    unwrap(client.GET('/api/v1/find', { params: { query: { q, limit: 12 } }, signal })),
  catalog: (
    query: NonNullable<paths['/api/v1/catalog']['get']['parameters']['query']>,
    signal?: AbortSignal,
  ) => unwrap(client.GET('/api/v1/catalog', { params: { query }, signal })),
  facet: (
    name: string,
    query: NonNullable<paths['/api/v1/catalog/facets/{name}']['get']['parameters']['query']>,
    signal?: AbortSignal,
  ) =>
    unwrap(
      client.GET('/api/v1/catalog/facets/{name}', { params: { path: { name }, query }, signal }),
    ),
  dataset: (dataset: number, signal?: AbortSignal, columnsFrom = 0, at?: string) =>
    unwrap(
      client.GET('/api/v1/datasets/{dataset}', {
        params: { path: { dataset }, query: { columns_from: columnsFrom, as_of: at } },
        signal,
      }),
    ),
  lanes: (dataset: number, query: LaneOptions, signal?: AbortSignal) =>
    unwrap(
      client.GET('/api/v1/datasets/{dataset}/lanes', {
        params: { path: { dataset }, query },
        signal,
      }),
    ),
  trail: (field: number[], conditions: boolean, part: PartOptions, signal?: AbortSignal) =>
    unwrap(
      client.GET('/api/v1/trail', { params: { query: { field, conditions, ...part } }, signal }),
    ),
  withinLanes: (
    dataset: number,
    query: { q: string; upstream: number; downstream: number; conditions: boolean; as_of?: string },
    signal?: AbortSignal,
  ) =>
    unwrap(
      client.GET('/api/v1/datasets/{dataset}/lanes/within', {
        params: { path: { dataset }, query },
        signal,
      }),
    ),
  withinTrail: (field: number[], q: string, signal?: AbortSignal, at?: string) =>
    unwrap(
      client.GET('/api/v1/trail/within', { params: { query: { field, q, as_of: at } }, signal }),
    ),
  story: (field: number[], signal?: AbortSignal, at?: string) =>
    unwrap(client.GET('/api/v1/trail/story', { params: { query: { field, as_of: at } }, signal })),
  evidence: (link: number, signal?: AbortSignal, at?: string) =>
    unwrap(
      client.GET('/api/v1/links/{link}/evidence', {
        params: { path: { link }, query: { as_of: at } },
        signal,
      }),
    ),
  dependents: (
    field: number,
    query: { conditions: boolean; q?: string; cursor?: string; as_of?: string },
    signal?: AbortSignal,
  ) =>
    unwrap(
      client.GET('/api/v1/fields/{field}/dependents', {
        params: { path: { field }, query },
        signal,
      }),
    ),
  exportFormats: (signal?: AbortSignal) => unwrap(client.GET('/api/v1/export-formats', { signal })),
  sourceKinds: (signal?: AbortSignal) => unwrap(client.GET('/api/v1/source-kinds', { signal })),
  sources: (signal?: AbortSignal) => unwrap(client.GET('/api/v1/sources', { signal })),
  source: (source: number, signal?: AbortSignal) =>
    unwrap(client.GET('/api/v1/sources/{source}', { params: { path: { source } }, signal })),
  addSource: (body: SourceIn) => unwrap(client.POST('/api/v1/sources', { body })),
  changeSource: (source: number, body: SourceIn) =>
    unwrap(client.PUT('/api/v1/sources/{source}', { params: { path: { source } }, body })),
  removeSource: (source: number) =>
    unwrap(client.DELETE('/api/v1/sources/{source}', { params: { path: { source } } })),
  trySource: (config: Record<string, unknown>, source: number | null) =>
    unwrap(client.POST('/api/v1/sources/try', { body: { config, source } })),
  ingestions: (source: number, signal?: AbortSignal) =>
    unwrap(
      client.GET('/api/v1/sources/{source}/ingestions', { params: { path: { source } }, signal }),
    ),
  startIngestion: (source: number) =>
    unwrap(client.POST('/api/v1/sources/{source}/ingestions', { params: { path: { source } } })),
  stopIngestion: (ingestion: number) =>
    unwrap(client.DELETE('/api/v1/ingestions/{ingestion}', { params: { path: { ingestion } } })),
  unread: (source: number, offset: number, signal?: AbortSignal) =>
    unwrap(
      client.GET('/api/v1/sources/{source}/unread', {
        params: { path: { source }, query: { offset, limit: 50 } },
        signal,
      }),
    ),
  declarations: (signal?: AbortSignal) => unwrap(client.GET('/api/v1/declarations', { signal })),
  declareLink: (body: Schemas['LinkIn']) =>
    unwrap(client.POST('/api/v1/declarations/links', { body })),
  declareConsumer: (body: Schemas['ConsumerIn']) =>
    unwrap(client.POST('/api/v1/declarations/consumers', { body })),
  takeBack: (declaration: number) =>
    unwrap(
      client.DELETE('/api/v1/declarations/{declaration}', { params: { path: { declaration } } }),
    ),
  join: (dataset: number, into: number) =>
    unwrap(client.POST('/api/v1/aliases', { body: { dataset, into } })),
  part: (alias: number) =>
    unwrap(client.DELETE('/api/v1/aliases/{alias}', { params: { path: { alias } } })),
  runs: (
    query: NonNullable<paths['/api/v1/runs']['get']['parameters']['query']>,
    signal?: AbortSignal,
  ) => unwrap(client.GET('/api/v1/runs', { params: { query }, signal })),
  runCounts: (
    query: NonNullable<paths['/api/v1/runs/counts']['get']['parameters']['query']>,
    signal?: AbortSignal,
  ) => unwrap(client.GET('/api/v1/runs/counts', { params: { query }, signal })),
  timetable: (
    query: NonNullable<paths['/api/v1/runs/timetable']['get']['parameters']['query']>,
    signal?: AbortSignal,
  ) => unwrap(client.GET('/api/v1/runs/timetable', { params: { query }, signal })),
  run: (run: string, signal?: AbortSignal) =>
    unwrap(client.GET('/api/v1/runs/{run}', { params: { path: { run } }, signal })),
  runChildren: (run: string, signal?: AbortSignal) =>
    unwrap(client.GET('/api/v1/runs/{run}/children', { params: { path: { run } }, signal })),
  events: (
    query: NonNullable<paths['/api/v1/events']['get']['parameters']['query']>,
    signal?: AbortSignal,
  ) => unwrap(client.GET('/api/v1/events', { params: { query }, signal })),
  event: (event: string) =>
    unwrap(client.GET('/api/v1/events/{event}', { params: { path: { event } } })),
  job: (job: number, signal?: AbortSignal) =>
    unwrap(client.GET('/api/v1/jobs/{job}', { params: { path: { job } }, signal })),
  jobLineage: (job: number, signal?: AbortSignal) =>
    unwrap(client.GET('/api/v1/jobs/{job}/lineage', { params: { path: { job } }, signal })),
  jobHistory: (job: number, cursor?: string, signal?: AbortSignal) =>
    unwrap(
      client.GET('/api/v1/jobs/{job}/history', {
        params: { path: { job }, query: { cursor } },
        signal,
      }),
    ),
  datasetHistory: (dataset: number, runs: boolean, cursor?: string, signal?: AbortSignal) =>
    unwrap(
      client.GET('/api/v1/datasets/{dataset}/history', {
        params: { path: { dataset }, query: { runs, cursor } },
        signal,
      }),
    ),
  difference: (
    dataset: number,
    query: paths['/api/v1/datasets/{dataset}/difference']['get']['parameters']['query'],
    signal?: AbortSignal,
  ) =>
    unwrap(
      client.GET('/api/v1/datasets/{dataset}/difference', {
        params: { path: { dataset }, query },
        signal,
      }),
    ),
  runEvents: (run: string, cursor?: string) =>
    unwrap(
      client.GET('/api/v1/runs/{run}/events/received', {
        params: { path: { run }, query: { cursor } },
      }),
    ),
  changeDatabases: (signal?: AbortSignal) =>
    unwrap(client.GET('/api/v1/changes/databases', { signal })),
  simulate: (proposal: Proposal, signal?: AbortSignal) =>
    unwrap(client.POST('/api/v1/changes/simulate', { body: proposal, signal })),
  sampleChange: (body: Schemas['SampleIn'], signal?: AbortSignal) =>
    unwrap(client.POST('/api/v1/changes/sample', { body, signal })),
  planChange: (sql: string, database: string | undefined, signal?: AbortSignal) =>
    unwrap(client.POST('/api/v1/changes/plan', { body: { sql, database }, signal })),
  changeTexts: (q: string, database: string | undefined, asked: boolean, signal?: AbortSignal) =>
    unwrap(
      client.GET('/api/v1/changes/texts', { params: { query: { q, database, asked } }, signal }),
    ),
  changeText: (place: string, database: string | undefined, signal?: AbortSignal) =>
    unwrap(client.GET('/api/v1/changes/text', { params: { query: { place, database } }, signal })),
  readChangeText: (body: Schemas['ReadIn'], signal?: AbortSignal) =>
    unwrap(client.POST('/api/v1/changes/read', { body, signal })),
  changeTables: (q: string, database: string | undefined, signal?: AbortSignal) =>
    unwrap(client.GET('/api/v1/changes/tables', { params: { query: { q, database } }, signal })),
  keptChanges: (cursor?: string, signal?: AbortSignal) =>
    unwrap(client.GET('/api/v1/changes', { params: { query: { cursor } }, signal })),
  keptChange: (change: number, signal?: AbortSignal) =>
    unwrap(client.GET('/api/v1/changes/kept/{change}', { params: { path: { change } }, signal })),
  keepChange: (body: Proposal & { name: string }) =>
    unwrap(client.POST('/api/v1/changes', { body })),
  editKeptChange: (change: number, body: Schemas['KeptChangeEdit']) =>
    unwrap(client.PATCH('/api/v1/changes/kept/{change}', { params: { path: { change } }, body })),
  letChangeGo: (change: number) =>
    unwrap(client.DELETE('/api/v1/changes/kept/{change}', { params: { path: { change } } })),
  repositories: (signal?: AbortSignal) => unwrap(client.GET('/api/v1/repositories', { signal })),
  baselines: (signal?: AbortSignal) => unwrap(client.GET('/api/v1/baselines', { signal })),
  keepBaseline: (body: Schemas['BaselineIn']) => unwrap(client.POST('/api/v1/baselines', { body })),
  editBaseline: (baseline: number, body: Schemas['BaselineEdit']) =>
    unwrap(client.PATCH('/api/v1/baselines/{baseline}', { params: { path: { baseline } }, body })),
  letBaselineGo: (baseline: number, confirmed: boolean) =>
    unwrap(
      client.DELETE('/api/v1/baselines/{baseline}', {
        params: { path: { baseline }, query: { confirmed } },
      }),
    ),
  compareBaselines: (left: string, right: string, signal?: AbortSignal) =>
    unwrap(client.GET('/api/v1/baselines/compare', { params: { query: { left, right } }, signal })),
  comparedText: (left: string, right: string, place: string, signal?: AbortSignal) =>
    unwrap(
      client.GET('/api/v1/baselines/text', { params: { query: { left, right, place } }, signal }),
    ),
  takeOver: (baseline: number, body: Schemas['TakeIn']) =>
    unwrap(
      client.POST('/api/v1/baselines/{baseline}/take', { params: { path: { baseline } }, body }),
    ),
  takenOver: (baseline: number, cursor?: string, signal?: AbortSignal) =>
    unwrap(
      client.GET('/api/v1/baselines/{baseline}/taken', {
        params: { path: { baseline }, query: { cursor } },
        signal,
      }),
    ),
  searches: (signal?: AbortSignal) => unwrap(client.GET('/api/v1/searches', { signal })),
  keepSearch: (name: string, query: Record<string, unknown>) =>
    unwrap(client.POST('/api/v1/searches', { body: { name, query } })),
  letSearchGo: (search: number) =>
    unwrap(client.DELETE('/api/v1/searches/{search}', { params: { path: { search } } })),
  runStates: (dataset: number[], signal?: AbortSignal) =>
    unwrap(client.GET('/api/v1/runs/states', { params: { query: { dataset } }, signal })),
  suspects: (dataset: number, at: string | undefined, signal?: AbortSignal) =>
    unwrap(
      client.GET('/api/v1/datasets/{dataset}/suspects', {
        params: { path: { dataset }, query: { at } },
        signal,
      }),
    ),
  order: (dataset: number, signal?: AbortSignal) =>
    unwrap(
      client.GET('/api/v1/datasets/{dataset}/order', { params: { path: { dataset } }, signal }),
    ),
  road: (run: string, back: number, ahead: number, signal?: AbortSignal) =>
    unwrap(
      client.GET('/api/v1/runs/{run}/road', {
        params: { path: { run }, query: { back, ahead } },
        signal,
      }),
    ),
}
